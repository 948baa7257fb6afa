import { computed, reactive, ref, watch } from "vue";
import { api, type PlanRule } from "@/api/client";
import { useShown } from "@/queries/codicils";
import { usePlan } from "@/queries/plan";
import { useAsked } from "@/queries/client";
import { format } from "@/queries/format";

/** What stands beside a plan: the company and type, and by which rules; "" by those in force. */
export interface Beside {
  company: string;
  type: string;
  rules: string;
}

/** The plan of another company or type, or by other rules, beside that of the plan's own scope, on the same day. */
export function useComparison() {
  const plan = usePlan();
  const shown = useShown();
  const with_ = ref<Beside>();
  const query = computed(() => with_.value && { kind: plan.scope.kind, day: plan.day, ...with_.value });
  const asked = useAsked(
    () => query.value && ["plan", query.value, { ...format }],
    (signal) => api.GET("/plan", { params: { query: query.value! }, signal }),
  );
  const other = computed(() => asked.data);
  watch(
    () => plan.scope.kind,
    () => (with_.value = undefined),
  );

  const acting = (rules: PlanRule[] | undefined) =>
    (rules ?? []).filter((r) => r.state === "in force" && r.sound);
  const others = computed(() => new Map(other.value?.fields.map((f) => [f.key, f.stations]) ?? []));
  const own = computed(() => new Map(plan.plan?.fields.map((f) => [f.key, f.stations]) ?? []));

  /** The rules there at the stations of a field where they are not those here. */
  const differences = computed(() => {
    const map = new Map<string, Map<string, PlanRule[]>>();
    if (!other.value) return map;
    for (const [key, stations] of own.value) {
      const there = others.value.get(key) ?? {};
      for (const station of new Set([...Object.keys(stations), ...Object.keys(there)])) {
        // By other rules the same rule may say something else.
        const other = with_.value?.rules !== shown.rules;
        const ids = (rules: PlanRule[]) =>
          rules.map((r) => (other ? `${r.id} ${r.sentence}` : r.id)).join("\n");
        const mine = acting(stations[station]);
        const theirs = acting(there[station]);
        if (ids(mine) === ids(theirs)) continue;
        if (!map.has(key)) map.set(key, new Map());
        map.get(key)!.set(station, theirs);
      }
    }
    return map;
  });

  return reactive({
    with: with_,
    other,
    differences,
    problem: computed(() => asked.problem),
    reload: asked.reload,
  });
}
