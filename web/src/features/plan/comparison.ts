import { computed, ref, watch } from "vue";
import { api, ask, type Plan, type PlanRule } from "@/api/client";
import { usePlan } from "@/features/plan/plan";

/** The plan of another company or type beside that of the plan's own scope, on the same day. */
export function useComparison() {
  const plan = usePlan();
  const with_ = ref<{ company: string; type: string }>();
  const other = ref<Plan>();
  const problem = ref("");

  async function load() {
    other.value = undefined;
    if (!with_.value) return;
    const query = { kind: plan.scope.kind, day: plan.day, ...with_.value };
    try {
      const loaded = await ask(api.GET("/plan", { params: { query } }));
      if (
        with_.value &&
        JSON.stringify(query) === JSON.stringify({ kind: plan.scope.kind, day: plan.day, ...with_.value })
      )
        other.value = loaded;
      problem.value = "";
    } catch (error) {
      problem.value = (error as Error).message;
    }
  }
  watch(() => [with_.value, plan.day, plan.plan], load);
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
        const ids = (rules: PlanRule[]) => rules.map((r) => r.id).join(",");
        const mine = acting(stations[station]);
        const theirs = acting(there[station]);
        if (ids(mine) === ids(theirs)) continue;
        if (!map.has(key)) map.set(key, new Map());
        map.get(key)!.set(station, theirs);
      }
    }
    return map;
  });

  return { with: with_, other, differences, problem };
}
