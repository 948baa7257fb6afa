import { person, RequestError, type Problem } from "@/api/client";

/** Reads an answer that comes as lines of JSON, each as it arrives. */
export async function readLines(
  path: string,
  request: { method: string; body?: unknown; signal: AbortSignal },
  take: (said: unknown) => void,
  /** Told after each piece that arrived: a good time to show what was taken. */
  arrived: () => void,
) {
  const response = await fetch(
    new Request(new URL(`/api/v1${path}`, location.href), {
      method: request.method,
      headers: { "Content-Type": "application/json", "Person-Format": person.format() },
      body: request.body === undefined ? undefined : JSON.stringify(request.body),
      signal: request.signal,
    }),
  );
  if (!response.ok) throw new RequestError((await response.json()) as Problem);
  if (!response.body) return; // no line at all
  const reader = response.body.getReader();
  const decoder = new TextDecoder();
  let rest = "";
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const lines = (rest + decoder.decode(value, { stream: true })).split("\n");
    rest = lines.pop()!;
    for (const line of lines.filter(Boolean)) take(JSON.parse(line));
    arrived();
  }
}
