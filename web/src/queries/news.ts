import {
  createEventHook,
  useBroadcastChannel,
  useDocumentVisibility,
  useIdle,
  useThrottleFn,
} from "@vueuse/core";
import { computed, onScopeDispose, ref, watch } from "vue";
import { api, ask, signIns, type Schemas } from "@/api/client";
import { ownChange, queryClient, renew } from "@/queries/client";
import { useSession } from "@/queries/session";

export type News = Schemas["News"];

/** Nobody is at work who touches nothing for this long: they hear nothing more until they are back. */
const rests = 10 * 60_000;
/** How long after a change of one's own what is told of it is no news. */
const own = 3_000;
/** What is on the screen is asked for again at most this often, and where very much changes. */
const often = 2_000;
const seldom = 10_000;
/** After how long it is asked again where the server takes no more listeners. */
const later = 60_000;

const heard = createEventHook<News>();

/** Tells whoever is on the screen. */
export const tell = (news: News) => heard.trigger(news);

/** Calls work with what others change, and who comes and goes, while the caller is on the screen. */
export const onNews = (work: (news: News) => void) => heard.on(work);

/**
 * Calls work with who changed the thing that is on the screen. What is told while the screen is busy, for example while a
 * change of one's own is saved, is told once it is no longer: nothing is missed. Returns how work says that it came at a
 * busy time after all.
 */
export function onChangeOf(
  at: () => Schemas["NewsThing"] | undefined,
  busy: () => boolean,
  work: (by: string | undefined) => void,
) {
  let waiting: { by?: string } | undefined;
  function next() {
    if (!waiting || busy()) return;
    const { by } = waiting;
    waiting = undefined;
    work(by);
  }
  function again(by: string | undefined) {
    waiting = { by };
    next();
  }
  onNews(({ changes, much }) => {
    const thing = at();
    if (much && thing) return again(undefined); // what changed is not told one by one: it may be this
    const of = changes.findLast((c) => c.kind === thing?.kind && (!c.key || c.key === thing.key));
    if (of) again(of.by || undefined);
  });
  watch(busy, next);
  watch([() => at()?.kind, () => at()?.key], () => (waiting = undefined));
  return again;
}

/**
 * What holds for all records, and is no other when one of them changes; and how many a long list finds, which takes long to
 * count: it is counted again when the list is opened or somebody changes something here.
 */
const ofNoRecord = new Set([
  "catalog",
  "follow-ons",
  "functions",
  "keys",
  "layout",
  "persons",
  "records-counted",
  "roles",
  "tables",
  "told",
]);

/**
 * Listens to what others change, while somebody is at work in this tab, and asks anew for what is on the screen. Of the
 * tabs of a browser one listens and tells the others: a browser keeps few lines open to one server.
 */
export function useNews() {
  const session = useSession();
  const visible = useDocumentVisibility();
  const { idle } = useIdle(rests, { listenForVisibilityChange: false });
  const between = useBroadcastChannel<string, string>({ name: "codicil-news" });
  const attending = computed(
    () => !!session.person && !session.expired && visible.value === "visible" && !idle.value,
  );
  let last = "";
  let stop: (() => void) | undefined;

  function hear(text: string, id: string) {
    last = id;
    void tell(JSON.parse(text) as News);
  }
  watch(between.data, (text) => {
    if (!text || !attending.value) return;
    const { data, id } = JSON.parse(text) as { data: string; id: string };
    hear(data, id);
  });

  function listen() {
    let line: EventSource | undefined;
    let again: ReturnType<typeof setTimeout> | undefined;
    const ended = new AbortController();
    const open = () => {
      // What was on the screen when the page was opened is as old as that.
      last ||= String(session.state?.news ?? "");
      line = new EventSource(last ? `/api/v1/news?after=${last}` : "/api/v1/news");
      line.addEventListener("news", (event: MessageEvent<string>) => {
        between.post(JSON.stringify({ data: event.data, id: event.lastEventId }));
        hear(event.data, event.lastEventId);
      });
      line.addEventListener("error", () => {
        // A browser asks again by itself where the line broke off, but not where it was refused.
        if (line?.readyState === EventSource.CLOSED) again = setTimeout(open, later);
      });
    };
    const held = new Promise<void>((release) => {
      stop = () => {
        ended.abort();
        clearTimeout(again);
        line?.close();
        release();
        stop = undefined;
      };
    });
    // Without locks every tab listens for itself.
    if (!("locks" in navigator)) open();
    else
      void navigator.locks
        .request("codicil-news", { signal: ended.signal }, () => {
          open();
          return held;
        })
        .catch(() => undefined); // it was stopped before it was its turn
  }

  let away = 0;
  watch(
    [attending, () => signIns.done],
    ([attends]) => {
      stop?.();
      if (!attends) {
        away = Date.now();
        return;
      }
      // Whoever comes back sees what is, whatever they missed.
      if (away && Date.now() - away > own) void tell({ changes: [], presence: [], much: true });
      away = 0;
      listen();
    },
    { immediate: true },
  );
  onScopeDispose(() => stop?.());

  const records = useThrottleFn(() => renew((key) => !ofNoRecord.has(key)), often, true);
  const all = useThrottleFn(() => renew(), often, true);
  const much = useThrottleFn(() => renew(), seldom, true);
  onNews(({ changes, much: tooMuch }) => {
    if (changes.some((c) => c.kind === "person" || c.kind === "role")) void session.reload();
    if (tooMuch) return void much();
    const news = changes.filter((c) => !c.self || Date.now() - ownChange.at > own);
    if (!news.length) return;
    const kinds = new Set(
      queryClient
        .getQueriesData<Schemas["Catalog"]>({ queryKey: ["catalog"] })
        .flatMap(([, of]) => of?.kinds.map((k) => k.kind.key) ?? []),
    );
    if (news.every((c) => kinds.has(c.kind))) void records();
    else void all();
  });
}

const tab = crypto.randomUUID?.() ?? String(Math.random());
/** How often somebody says that they are still there; the server forgets them after 40 seconds. */
const says = 15_000;

/**
 * Says at which rule or record somebody is, and whether they are changing something there; returns who else is. at is
 * undefined where they are at none.
 */
export function usePresence(at: () => Schemas["NewsThing"] | undefined, changing: () => boolean) {
  const others = ref<Schemas["PresentPerson"][]>([]);
  const visible = useDocumentVisibility();
  const { idle } = useIdle(rests, { listenForVisibilityChange: false });
  const place = computed(() => (visible.value === "visible" && !idle.value ? at() : undefined));
  let turn = 0;
  async function say() {
    const mine = ++turn;
    const body = { tab, kind: place.value?.kind ?? "", key: place.value?.key ?? "", changing: changing() };
    // Who else is there is good to know and no more: where it cannot be told, nothing is said.
    const told = await ask(api.POST("/presence", { body, keepalive: true })).catch(() => []);
    if (mine === turn) others.value = place.value ? told : [];
  }
  watch([() => place.value?.kind, () => place.value?.key, changing], say, { immediate: !!at() });
  const beat = setInterval(() => place.value && void say(), says);
  const { off } = onNews((news) => {
    if (news.presence.some((t) => t.kind === place.value?.kind && t.key === place.value.key)) void say();
  });
  const nowhere = { tab, kind: "", key: "", changing: false };
  function leave() {
    if (at())
      navigator.sendBeacon(
        "/api/v1/presence",
        new Blob([JSON.stringify(nowhere)], { type: "application/json" }),
      );
  }
  globalThis.addEventListener("pagehide", leave);
  onScopeDispose(() => {
    turn++;
    clearInterval(beat);
    off();
    globalThis.removeEventListener("pagehide", leave);
    if (at()) void ask(api.POST("/presence", { body: nowhere })).catch(() => undefined);
  });
  return others;
}
