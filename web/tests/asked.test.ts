import { flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it } from "vitest";
import { createPinia, setActivePinia } from "pinia";
import { effectScope } from "vue";
import { api, type Answer } from "@/api/client";
import { askOnce, change, queryClient, renew, useAsked, usePages } from "@/queries/client";
import { useCatalog } from "@/queries/catalog";
import { eventually } from "./eventually";
import { serve } from "./server";

/** A server whose answers to one question come when they are released, each as things stood when it was asked. */
function slowly() {
  let now = "before";
  const waiting: (() => void)[] = [];
  const asked = serve({
    "GET /records": () => {
      const answer = { is: now, next: "" };
      return new Promise((resolve) => waiting.push(() => resolve(answer)));
    },
    "POST /change": () => {
      now = "after";
      return {};
    },
  });
  const arrives = async () => {
    for (const release of waiting.splice(0)) release();
    await flushPromises();
  };
  return { asked: () => asked.filter((a) => a.method === "GET").length, arrives };
}
interface Shown {
  is: string;
  next: string;
}
const get = (signal?: AbortSignal) =>
  api.GET("/records" as never, { signal } as never) as Promise<Answer<Shown>>;
const changes = () => change(api.POST("/change" as never, {} as never) as Promise<Answer<unknown>>);

const scopes: ReturnType<typeof effectScope>[] = [];
function onScreen<T>(make: () => T): T {
  const scope = effectScope();
  scopes.push(scope);
  return scope.run(make)!;
}
afterEach(() => {
  for (const scope of scopes.splice(0)) scope.stop();
  queryClient.clear();
});

describe("what is on the screen", () => {
  for (const [name, made] of [
    ["an answer", () => useAsked(() => ["things"], get)],
    [
      "pages",
      () =>
        usePages(
          () => ["things"],
          (_, signal) => get(signal),
          (page) => [page],
        ),
    ],
  ] as const) {
    const seen = (shown: ReturnType<typeof made>) =>
      Array.isArray(shown.data) ? shown.data[0]?.is : shown.data?.is;

    it(`is asked for again where a change came while the first answer was under way: ${name}`, async () => {
      const { asked, arrives } = slowly();
      const shown = onScreen<ReturnType<typeof made>>(made);
      await flushPromises();
      await changes();
      expect(asked(), "the first is not given up").toBe(1);
      await arrives();
      expect(seen(shown), "and is shown").toBe("before");
      await arrives();
      expect(seen(shown)).toBe("after");
      expect(asked()).toBe(2);
      await arrives();
      expect(asked(), "and no more").toBe(2);
    });

    it(`comes however often something changes: ${name}`, async () => {
      const { arrives } = slowly();
      const shown = onScreen<ReturnType<typeof made>>(made);
      await flushPromises();
      for (let i = 0; i < 5; i++) {
        renew();
        await flushPromises();
      }
      await arrives();
      expect(seen(shown)).toBe("before");
    });
  }

  it("is asked for again at once where there is an answer", async () => {
    const { asked, arrives } = slowly();
    const shown = onScreen(() => useAsked<Shown>(() => ["things"], get));
    await flushPromises();
    await arrives();
    await changes();
    await flushPromises();
    expect(asked()).toBe(2);
    await arrives();
    expect(shown.data?.is).toBe("after");
  });
});

describe("the catalog", () => {
  it("is no older than the answer about the session, after which news are heard", async () => {
    let answer: (of: unknown) => void = () => undefined;
    const asked = serve({
      "GET /session": () => new Promise((resolve) => (answer = resolve)),
      "GET /catalog": () => ({ companies: [], kinds: [], fieldTypes: [], lists: [], program: {} }),
    });
    setActivePinia(createPinia());
    const catalog = useCatalog();
    await flushPromises();
    expect(asked.map((a) => a.path)).toEqual(["/session"]);
    answer({ permissions: [], news: 7 });
    await eventually(() => expect(catalog.catalog).toBeTruthy());
    expect(asked.map((a) => a.path)).toEqual(["/session", "/catalog"]);
  });
});

describe("what is asked outside of a screen", () => {
  it("is no older than the question", async () => {
    const { asked, arrives } = slowly();
    const first = askOnce(["things"], () => get());
    await flushPromises();
    await changes();
    const second = askOnce(["things"], () => get());
    await flushPromises();
    expect(asked()).toBe(2);
    await arrives();
    expect((await second).is).toBe("after");
    expect((await first).is, "who asked before has the same").toBe("after");
  });

  it("is asked once where it may be older", async () => {
    const { asked, arrives } = slowly();
    const both = [askOnce(["things"], () => get(), 1000), askOnce(["things"], () => get(), 1000)];
    await flushPromises();
    expect(asked()).toBe(1);
    await arrives();
    expect((await Promise.all(both)).map((s) => s.is)).toEqual(["before", "before"]);
  });
});
