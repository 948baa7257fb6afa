import { useEventListener } from "@vueuse/core";
import { computed, onBeforeUnmount, reactive, ref, toRef, watch } from "vue";
import {
  api,
  ask,
  RequestError,
  type PlanRule,
  type RuleChange,
  type RuleState,
  type RuleView,
} from "@/api/client";
import { givesValue } from "@/ui/families";
import { useCatalog } from "@/queries/catalog";
import { askOnce, change as send } from "@/queries/client";
import { useAttempt } from "@/queries/attempt";
import { useShown } from "@/queries/codicils";
import { onChangeOf, usePresence } from "@/queries/news";
import { useWhileTyping } from "@/queries/whileTyping";
import { usePlan, widths, type Selection, type Width } from "@/queries/plan";
import type { Unkept } from "@/queries/unkept";

/**
 * The rules of one cell of the plan, and the one that is open: read by the server as it is written, tried on the
 * test document before it is kept, and put aside when it is left. wanted is the rule to open first, if any.
 */
export function useRuleDraft(selection: Selection, wanted?: number) {
  const catalog = useCatalog();
  const plan = usePlan();
  const family = selection.family;
  const kind = plan.scope.kind;

  const rules = computed<PlanRule[]>(
    () => plan.plan?.fields.find((f) => f.key === selection.field)?.stations[family] ?? [],
  );
  const acts = computed(
    () => plan.fields.get(plan.at(selection.field))?.acts.filter((a) => a.family === family) ?? [],
  );

  const change = ref<RuleChange>();
  const view = ref<RuleView>();
  const kept = ref("");
  /** The name that is saved. */
  const named = ref("");
  const asFormula = ref(false);
  const tried = useAttempt();

  /** What of the sentence is not finished, or is wrong: it stands on the screen and not in the rule yet. */
  const unfinished = ref<NonNullable<Unkept["unfinished"]>>({});
  const isUnfinished = computed(() => Object.values(unfinished.value).some(Boolean));

  const act = computed(() => acts.value.find((a) => a.rule === (change.value?.id ?? 0)));
  const dirty = computed(
    () =>
      !!change.value &&
      (JSON.stringify(change.value.body) !== kept.value ||
        (change.value.name ?? "") !== (change.value.id ? named.value : "")),
  );
  const isNew = computed(() => !!change.value && !change.value.id);
  /** The rule as it stands here is another than the one that is saved, if one is. */
  const written = computed(() => dirty.value || isNew.value);

  let first = wanted;
  let opening = false;
  /** The rule that is on its way; 0: none. */
  const coming = ref(0);
  let discarded = false;
  /** Opens the rule that was asked for, or the one that acted, or the one that goes first; or begins one. */
  watch(
    () => [rules.value, !!plan.plan] as const,
    ([here, loaded]) => {
      // The plan may come while the rule that was asked for is on its way.
      if (change.value || opening) return;
      // A rule that was asked for may have no place in the plan: a retired one has none.
      if (first) {
        opening = true;
        void show(first).finally(() => (opening = false));
        first = undefined;
        return;
      }
      const open = here.find((r) => acts.value.some((a) => a.rule === r.id && a.did === "acted")) ?? here[0];
      if (open) void show(open.id);
      else if (loaded && !discarded) begin();
    },
    { immediate: true },
  );

  function placeOf(id: number): string {
    return `${kind}/${selection.field}/${family}/${id}`;
  }

  /** Puts a change aside that is left before it is kept; it is there on coming back. */
  function putAside() {
    if (change.value && (dirty.value || isUnfinished.value))
      plan.unkept.set(placeOf(change.value.id ?? 0), {
        change: change.value,
        unfinished: isUnfinished.value ? unfinished.value : undefined,
      });
  }
  useEventListener(window, "pagehide", putAside);

  async function show(id: number) {
    putAside();
    coming.value = id;
    await attempt(async () =>
      take(await askOnce(["rule", id], () => api.GET("/rules/{id}", { params: { path: { id } } }))),
    ).finally(() => (coming.value = 0));
  }

  function take(shown: RuleView) {
    const sameRule = !!change.value && (!change.value.id || change.value.id === shown.id);
    view.value = shown;
    kept.value = JSON.stringify(normal(shown.body));
    named.value = shown.named ? shown.name : "";
    const aside = plan.unkept.get(placeOf(shown.id));
    plan.unkept.delete(placeOf(shown.id));
    const own = aside?.change.version === shown.version;
    const body = own ? aside!.change.body : shown.body;
    unfinished.value = (own && aside!.unfinished) || {};
    change.value = {
      id: shown.id,
      version: shown.version,
      name: (own ? aside!.change.name : undefined) ?? (shown.named ? shown.name : ""),
      body: normal(body),
    };
    // Who writes a formula goes on with it when the rule is kept.
    asFormula.value = sameRule && asFormula.value;
  }

  /** A copy to write on; lists that are not there are empty. */
  function normal(body: RuleView["body"]): RuleView["body"] {
    const copy = JSON.parse(JSON.stringify(body)) as RuleView["body"];
    copy.scope.companies ??= [];
    copy.scope.types ??= [];
    return copy;
  }

  function attempt(work: () => Promise<void>) {
    return tried.attempt(async () => {
      try {
        await work();
      } catch (error) {
        if (error instanceof RequestError && error.problem.problems && view.value)
          view.value = { ...view.value, problems: error.problem.problems };
        if (error instanceof RequestError && error.problem.code === "changed-meanwhile") changedBy(undefined);
        throw error;
      }
    });
  }

  /** What a new rule is on: a follow-up on a field of the linked record. */
  function targetOf(): string {
    if (family !== "follow-up") return selection.field;
    const linked = catalog.entry(catalog.field(selection.field)?.kind ?? "")?.kind;
    return `${selection.field}.${linked?.fields[0]?.key ?? ""}`;
  }

  function begin() {
    const aside = plan.unkept.get(placeOf(0));
    kept.value = "";
    view.value = undefined;
    discarded = false;
    if (aside) {
      plan.unkept.delete(placeOf(0));
      change.value = aside.change;
      unfinished.value = aside.unfinished ?? {};
      return;
    }
    const { kind } = plan.scope;
    change.value = {
      id: 0,
      version: 0,
      name: "",
      body: {
        kind,
        family,
        target: targetOf(),
        scope: { ...scopeOf(plan.width), from: "", until: "" },
        when: "",
        effect: { value: givesValue(family) ? "" : undefined, ...catalog.catalog?.effects[family] },
        on: { new: true, change: true },
        priority: 100,
        note: { askedBy: "", askedOn: catalog.catalog?.today ?? "", why: "" },
      },
    };
    kept.value = JSON.stringify(change.value.body);
    asFormula.value = false;
  }

  /** The companies and types of a rule that is as wide as this, from where the plan stands. */
  function scopeOf(width: Width): { companies: string[]; types: string[] } {
    const { company, type } = plan.scope;
    return { companies: width === "everywhere" ? [] : [company], types: width === "here" ? [type] : [] };
  }
  /** How wide the rule is; undefined: otherwise. */
  const width = computed<Width | undefined>(() => {
    const { companies, types } = change.value?.body.scope ?? {};
    const same = (a: string[] | null | undefined, b: string[]) => (a ?? []).join("\n") === b.join("\n");
    return widths.find((w) => same(companies, scopeOf(w).companies) && same(types, scopeOf(w).types));
  });
  function widen(to: Width) {
    if (change.value) Object.assign(change.value.body.scope, scopeOf(to));
  }

  let proposed = "";
  /** A check says what it checks until somebody writes what it says. */
  function propose(message: string) {
    const effect = change.value?.body.effect;
    if (!effect || family !== "validate" || !message || (effect.message && effect.message !== proposed))
      return;
    proposed = message;
    effect.message = message;
  }

  // The rule is read as it is written, and the test document tried with it.
  const reading = useWhileTyping(
    () => (written.value ? change.value : undefined),
    (body, signal) => ask(api.POST("/rules/read", { body, signal })),
    { now: true }, // a new rule is read as it begins
  );
  watch(
    () => reading.answer,
    (answer) => {
      if (!answer || !change.value || gone) return;
      view.value = { ...answer, version: change.value.version ?? 0 };
      propose(answer.proposedMessage ?? "");
      void plan.tryDocument();
    },
  );

  /** A draft, and a rule that is being written, act on the test document as they stand here. */
  const acting = computed(() =>
    change.value && (written.value || view.value?.state === "draft") ? change.value : undefined,
  );
  watch(
    () => [JSON.stringify(change.value?.body), view.value?.id, view.value?.version],
    ([now]) => {
      const before = plan.tried;
      plan.tried = acting.value;
      if (!(now && written.value) && before !== plan.tried) void plan.tryDocument();
    },
  );

  /** Who else has the rule open. */
  const byRules = useShown();
  const shown = () => (change.value?.id ? { kind: "rule", key: String(change.value.id) } : undefined);
  const others = usePresence(shown, () => dirty.value || isUnfinished.value);
  /** Something is being typed that the rule has not taken yet. */
  const typing = ref(false);
  /** What somebody else saved of the rule while it is being changed here. */
  const overtaken = ref<{ by: string; view: RuleView }>();
  // What is told of a rule while it is on its way may be newer than what arrives.
  const told = () => (coming.value ? { kind: "rule", key: String(coming.value) } : shown());
  const changedBy = onChangeOf(told, () => tried.busy, renew);
  // What is changed in the codicil that is shown is told of that.
  onChangeOf(
    () => (byRules.codicil ? { kind: "codicil", key: String(byRules.codicil) } : undefined),
    () => tried.busy,
    renew,
  );
  async function renew(by = "Somebody else") {
    const id = change.value?.id;
    if (!id) return;
    const now = await ask(api.GET("/rules/{id}", { params: { path: { id } } })).catch(() => undefined);
    if (gone || !now || change.value?.id !== id) return;
    if (tried.busy) return changedBy(by);
    if (now.version === change.value.version) return;
    if (!dirty.value && !isUnfinished.value && !typing.value) await afterChange(now);
    else overtaken.value = { by: now.changedBy || by, view: now }; // what was told may be of a change before the last
  }
  /** Goes on with the rule as the other person saved it, or with one's own change of that. */
  async function settle(whose: "theirs" | "mine") {
    const theirs = overtaken.value?.view;
    overtaken.value = undefined;
    if (!theirs || !change.value) return;
    if (whose === "theirs") {
      unfinished.value = {};
      change.value = undefined;
      return afterChange(theirs);
    }
    kept.value = JSON.stringify(normal(theirs.body));
    named.value = theirs.named ? theirs.name : "";
    change.value.version = theirs.version;
  }
  watch(
    () => change.value?.id,
    () => (overtaken.value = undefined),
  );

  let gone = false;
  onBeforeUnmount(() => {
    gone = true;
    putAside();
    if (plan.tried) {
      plan.tried = undefined;
      void plan.tryDocument();
    }
  });

  async function afterChange(next: RuleView) {
    plan.tried = undefined;
    take(next);
    await plan.tryDocument();
  }
  /** Shows what was kept of a change that was sent; what was written since then stays. */
  async function afterSending(next: RuleView, sent: RuleChange | undefined, text: string) {
    if (!sent || change.value !== sent) return; // another rule is open by now
    const since = JSON.stringify(sent) === text ? undefined : { name: sent.name, body: sent.body };
    plan.tried = undefined;
    take(next);
    if (since) Object.assign(change.value, since);
    await plan.tryDocument();
  }

  async function save(reason?: string): Promise<RuleView | undefined> {
    if (!change.value) return undefined;
    if (isUnfinished.value)
      throw new Error(
        "A condition is not finished. Complete or remove it: what is shown here is what is saved.",
      );
    if (!dirty.value && !isNew.value) return view.value;
    const sent = change.value;
    const text = JSON.stringify(sent);
    const body = { ...sent, reason };
    // The next rule begins as wide as the last.
    if (isNew.value && width.value) plan.width = width.value;
    const next = isNew.value
      ? await send(api.POST("/rules", { body }))
      : await send(api.PUT("/rules/{id}", { params: { path: { id: body.id! } }, body }));
    await afterSending(next, sent, text);
    return next;
  }

  /** Why the rule is asked a reason before it goes in force; "": it is not. */
  const needsReason = ref("");
  /** What is done once the reason is given. */
  const asked = ref<"keep" | "move">("move");

  /** Keeps the rule; one in force asks as much as putting it in force. */
  function keep(reason?: string) {
    return attempt(async () => {
      try {
        await save(reason);
        needsReason.value = "";
      } catch (error) {
        if (!(error instanceof RequestError) || error.problem.code !== "needs-reason") throw error;
        asked.value = "keep";
        needsReason.value = error.problem.detail;
      }
    });
  }

  function move(state: RuleState, reason?: string) {
    return attempt(async () => {
      const current = await save();
      if (!current || current.state === state) return; // in a codicil a new rule is at once as it will be
      const sent = change.value?.id === current.id ? change.value : undefined; // another rule may be open by now
      const text = JSON.stringify(sent);
      const params = { path: { id: current.id } };
      const body = { state, version: current.version, reason };
      try {
        const moved = await send(api.POST("/rules/{id}/state", { params, body }));
        needsReason.value = "";
        await afterSending(moved, sent, text);
      } catch (error) {
        if (!(error instanceof RequestError) || error.problem.code !== "needs-reason") throw error;
        asked.value = "move";
        needsReason.value = error.problem.detail;
      }
    });
  }

  function discard() {
    return attempt(async () => {
      const id = change.value?.id;
      if (id) {
        await send(api.DELETE("/rules/{id}", { params: { path: { id } } }));
        plan.unkept.set(placeOf(0), { change: { ...change.value!, id: 0, version: 0 } }); // to be restored
      } else if (change.value && dirty.value) plan.unkept.set(placeOf(0), { change: change.value });
      discarded = true;
      plan.tried = undefined;
      change.value = undefined;
      view.value = undefined;
      unfinished.value = {};
      await plan.tryDocument();
    });
  }

  function revert() {
    if (isNew.value) return discard();
    const id = change.value?.id;
    if (!id) return;
    unfinished.value = {};
    change.value = undefined;
    plan.tried = undefined;
    return show(id).then(() => plan.tryDocument());
  }

  /** Writes an earlier version into the rule, to be looked at, tried and saved like any change. */
  function putBack(from: { version: number; body: RuleView["body"] }) {
    if (!change.value) return;
    const { note } = change.value.body;
    change.value.body = { ...normal(from.body), note: { ...note, why: `Back to version ${from.version}` } };
    unfinished.value = {};
  }

  const leftBehind = computed(() => plan.unkept.has(placeOf(0)));

  return reactive({
    rules,
    acts,
    act,
    change,
    view,
    dirty,
    isNew,
    asFormula,
    /** Why the last deed was not done, or why the rule cannot be read as it stands. */
    problem: computed(() => tried.trouble.problem || reading.problem),
    busy: toRef(tried, "busy"),
    leftBehind,
    others,
    typing,
    overtaken,
    settle,
    written,
    width,
    widen,
    needsReason,
    asked,
    unfinished,
    isUnfinished,
    show,
    begin,
    keep,
    move,
    discard,
    revert,
    putBack,
  });
}
