<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { useEventListener } from "@vueuse/core";
import { computed, onMounted, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, ask } from "@/api/client";
import ComparePicker from "@/features/plan/ComparePicker.vue";
import CopyPane from "@/features/plan/CopyPane.vue";
import FoundHere from "@/features/plan/FoundHere.vue";
import ProposedHere from "@/features/plan/ProposedHere.vue";
import DocumentPicker from "@/features/plan/DocumentPicker.vue";
import NoTypes from "@/ui/NoTypes.vue";
import PlanGrid from "@/features/plan/PlanGrid.vue";
import RulePane from "@/features/rules/RulePane.vue";
import ScopeSentence from "@/features/plan/ScopeSentence.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import TestBar from "@/features/plan/TestBar.vue";
import { useComparison } from "@/features/plan/comparison";
import { fieldOf } from "@/ui/families";
import { useCatalog } from "@/queries/catalog";
import { useShown } from "@/queries/codicils";
import { usePlan, type Scope } from "@/queries/plan";

const catalog = useCatalog();
const plan = usePlan();
const route = useRoute();
const router = useRouter();

const grid = ref<InstanceType<typeof PlanGrid>>();
const finder = ref<HTMLInputElement>();
const find = ref("");
/** Which fields are shown: all, with rules, with rules made for this company or type, or where two plans differ. */
const show = ref<"all" | "ruled" | "own" | "differ">("all");
const comparison = useComparison();
const shown = useShown();
const copying = ref(false);
function compare() {
  // What is prepared, or was, is compared with what is in force.
  if (shown.rules) {
    comparison.with = { company: plan.scope.company, type: plan.scope.type, rules: "" };
    return;
  }
  const other = catalog.catalog?.companies.find((c) => c.key !== plan.scope.company);
  const company = other?.key ?? plan.scope.company;
  const types = catalog.typesIn(company);
  comparison.with = {
    company,
    type: types.find((t) => t.key === plan.scope.type)?.key ?? types[0]?.key ?? "",
    rules: "",
  };
}
watch(
  () => shown.rules,
  () => (comparison.with = undefined),
);
watch(
  () => comparison.with,
  (now) => {
    if (now) return;
    copying.value = false;
    if (show.value === "differ") show.value = "all";
  },
);
/** The rule that an address asked for, and how many did: each opens the pane anew. */
const wantedRule = ref<number>();
const asked = ref(0);

function query(name: string): string {
  const value = route.query[name];
  return typeof value === "string" ? value : "";
}

/** Brings the plan to what the address says, where it says something. */
async function follow() {
  if (!catalog.catalog) return;
  catalog.chosen = catalog.entry(query("kind"))?.kind.key || plan.scope.kind || catalog.chosen;
  const kind = catalog.kind;
  if (!kind) return;
  const wanted: Scope = {
    kind: kind.kind.key,
    company: query("company") || plan.scope.company || (catalog.catalog.companies[0]?.key ?? ""),
    type: query("type") || (plan.scope.kind === kind.kind.key && plan.scope.type) || "",
    day: query("day") || plan.scope.day || catalog.catalog.today,
  };
  const rule = Number(query("rule"));
  if (rule) {
    const view = await ask(api.GET("/rules/{id}", { params: { path: { id: rule } } })).catch(() => undefined);
    if (view) {
      wanted.kind = view.body.kind;
      const scope = view.body.scope;
      if (scope.companies?.length && !scope.companies.includes(wanted.company))
        wanted.company = scope.companies[0]!;
      if (scope.types?.length && !scope.types.includes(wanted.type)) wanted.type = scope.types[0]!;
      plan.selected = {
        field: fieldOf(catalog.entry(view.body.kind)?.kind, view.body),
        family: view.body.family,
      };
      wantedRule.value = rule;
      asked.value++;
    }
  } else if (query("field")) {
    const family = query("family") || "default";
    plan.selected = { field: query("field"), family: family as "default" };
  }
  const types = catalog.typesIn(wanted.company, wanted.kind);
  if (!types.some((t) => t.key === wanted.type)) wanted.type = types[0]?.key ?? "";
  if (JSON.stringify(wanted) !== JSON.stringify({ ...plan.scope }) || !plan.plan)
    await plan.setScope(wanted, plan.selected);
}

onMounted(follow);
watch(() => route.query, follow);

// What is on the screen stands in the address, so that a link can be sent.
watch(
  () => [
    plan.scope.kind,
    plan.scope.company,
    plan.scope.type,
    plan.scope.day,
    plan.selected?.field,
    plan.selected?.family,
  ],
  () => {
    if (route.path !== "/plan" || !plan.scope.company) return;
    const next: Record<string, string> = { ...plan.scope };
    if (plan.selected) Object.assign(next, plan.selected);
    void router.replace({ path: "/plan", query: next });
  },
);

const paneKey = computed(() =>
  plan.selected ? `${plan.scope.kind}/${plan.selected.field}/${plan.selected.family}/${asked.value}` : "",
);

/** The cursor goes back to the cell that the rule was opened from. */
function closeRule() {
  const left = plan.selected;
  plan.selected = undefined;
  if (left) grid.value?.focusOn(left.field, left.family);
}

async function post() {
  if (!plan.hasDocument || plan.busy) return;
  if (await plan.post()) {
    grid.value?.focusCell();
    return;
  }
  const first = plan.outcome?.messages.find((m) => m.severity === "refuse");
  if (first) grid.value?.editField(first.field, first.line);
}

function onKey(event: KeyboardEvent) {
  const target = event.target as HTMLElement;
  if (event.key === "Enter" && (event.ctrlKey || event.metaKey) && !target.closest("aside")) {
    event.preventDefault();
    event.stopPropagation();
    // A value that is being typed is taken first.
    grid.value?.takeEntry();
    (document.activeElement as HTMLElement | null)?.blur();
    void plan.settled().then(post);
  } else if (event.key === "/" && !target.closest("input, textarea, select, [contenteditable]")) {
    event.preventDefault();
    finder.value?.focus();
  }
}
// In the capture phase, before a control takes Enter for itself.
useEventListener(window, "keydown", onKey, { capture: true });

useEventListener("keydown", (event: KeyboardEvent) => {
  if (
    event.key === "Escape" &&
    plan.selected &&
    !(event.target as HTMLElement).closest("dialog, input, textarea, [contenteditable]")
  ) {
    closeRule();
  }
});
</script>

<template>
  <div class="plan">
    <div class="top">
      <ScopeSentence :scope="plan.scope" :day="plan.day" @change="plan.setScope" />
      <span class="spring" />
      <input
        ref="finder"
        v-model="find"
        class="line find"
        type="search"
        placeholder="Find a field  /"
        aria-label="Find a field"
        @keydown.esc.stop="find = ''"
      />
      <SelectBox
        v-model="show"
        class="show"
        label="Fields that are shown"
        :options="[
          { value: 'all', label: 'all fields' },
          { value: 'ruled', label: 'only with rules' },
          { value: 'own', label: 'only with rules made for this scope' },
          ...(comparison.with ? [{ value: 'differ', label: 'only where the two differ' }] : []),
        ]"
      />
      <button v-if="!comparison.with" type="button" class="button" @click="compare">Compare</button>
    </div>
    <p v-if="plan.plan?.loop" class="loop" role="alert">
      These fields depend on each other, so nothing can be posted: {{ plan.plan.loop }}. Change or suspend one
      of the rules.
    </p>
    <ComparePicker
      v-if="comparison.with"
      v-model="comparison.with"
      @copy="((plan.selected = undefined), (copying = true))"
    >
      <TroubleNote :problem="comparison.problem" :retry="comparison.reload" />
      <span v-if="comparison.other" class="quiet"
        >{{ comparison.differences.size }}
        {{ comparison.differences.size === 1 ? "field differs" : "fields differ" }}</span
      >
    </ComparePicker>
    <FoundHere />
    <ProposedHere />
    <NoTypes
      v-if="plan.scope.company && !plan.scope.type"
      class="middle"
      :kind="plan.scope.kind"
      :company="plan.scope.company"
    />
    <div v-else class="middle">
      <div class="scroll">
        <PlanGrid
          ref="grid"
          :find="find"
          :show="show"
          :differences="comparison.differences"
          :beside="comparison.with"
        />
      </div>
      <CopyPane
        v-if="copying && comparison.with && !plan.selected"
        :from="comparison.with"
        @close="copying = false"
      />
      <RulePane
        v-if="plan.selected"
        :key="paneKey"
        :rule="wantedRule"
        @close="closeRule"
        @done="plan.selected && grid?.focusOn(plan.selected.field, plan.selected.family)"
      />
    </div>
    <TestBar @point="(field, line) => grid?.editField(field, line)" @post="post">
      <DocumentPicker />
    </TestBar>
  </div>
</template>

<style scoped>
.plan {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.top {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 9px 20px 8px;
  flex: none;
  border-bottom: 1px solid var(--rule-strong);
}
.spring {
  flex: 1;
}
.find {
  width: 124px;
}
.show {
  width: 136px;
}
.wrong {
  color: var(--refused);
}
.loop {
  margin: 0;
  padding: 8px 20px;
  color: var(--refused);
  background: var(--refused-wash);
}
.middle {
  flex: 1;
  min-height: 0;
  display: flex;
}
.scroll {
  flex: 1;
  min-width: 0;
  overflow: auto;
  scroll-padding-top: 60px; /* what comes into sight stands below the heads */
}
</style>
