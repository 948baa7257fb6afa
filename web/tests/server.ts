import { vi } from "vitest";

export interface Asked {
  method: string;
  path: string;
  body: unknown;
}

/** Answers requests by method and path, and remembers them. */
export function serve(answers: Record<string, (body: never, query: URLSearchParams) => unknown>) {
  const asked: Asked[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname.replace("/api/v1", "");
    const text = await request.text();
    const isJson = request.headers.get("Content-Type")?.includes("json");
    const body = text && isJson ? JSON.parse(text) : text || undefined;
    asked.push({ method: request.method, path, body });
    const answer = answers[`${request.method} ${path}`];
    if (!answer)
      return json({ code: "not-found", detail: `nothing at ${path}`, status: 404, title: "", type: "" }, 404);
    const result = await answer(body as never, new URL(request.url).searchParams);
    return result instanceof Response ? result : json(result, 200);
  });
  return asked;
}

export function json(body: unknown, status: number): Response {
  const type = status < 400 ? "application/json" : "application/problem+json";
  return new Response(JSON.stringify(body), { status, headers: { "Content-Type": type } });
}
