<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, ask, type Family, type Schemas } from "@/api/client";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { change } from "@/queries/client";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { usePlan } from "@/queries/plan";

/** Copies the rules that were made for another scope into this one, as drafts; first it shows which. */
const props = defineProps<{ from: { company: string; type: string } }>();
const emit = defineEmits<{ close: [] }>();
const catalog = useCatalog();
const plan = usePlan();
const tried = useAttempt();
const copies = ref<Schemas["RuleCopy"][]>();
const chosen = ref<number[]>([]);
const done = ref("");

async function propose(dry: boolean) {
  await tried.attempt(async () => {
    const { kind, company, type } = plan.scope;
    const rules = dry ? undefined : chosen.value;
    const body = { kind, from: props.from, to: { company, type }, rules, dry };
    const answer = await (dry ? ask : change)(api.POST("/rules/copy", { body }));
    if (dry) {
      copies.value = answer;
      chosen.value = answer.filter((c) => !c.already).map((c) => c.rule);
      return;
    }
    const made = answer.filter((c) => c.copy).length;
    done.value = `${made} ${made === 1 ? "draft was" : "drafts were"} made; they act when they are put in force.`;
    copies.value = undefined;
  });
}
watch(
  () => [props.from.company, props.from.type, plan.scope.company, plan.scope.type],
  () => {
    done.value = "";
    void propose(true);
  },
  { immediate: true },
);
function mark(rule: number, on: boolean) {
  chosen.value = on ? [...chosen.value, rule] : chosen.value.filter((r) => r !== rule);
}
const fresh = computed(() => copies.value?.filter((c) => !c.already) ?? []);
const known = computed(() => copies.value?.filter((c) => c.already) ?? []);
</script>

<template>
  <aside class="copy" aria-label="Copy rules">
    <header>
      <h2>Copy rules</h2>
      <button type="button" class="plain" aria-label="Close the copying" @click="emit('close')">×</button>
    </header>
    <p class="sentence">
      From {{ catalog.typeName(from.type).toLowerCase() }} in {{ catalog.companyName(from.company) }} to
      {{ catalog.typeName(plan.scope.type).toLowerCase() }} in {{ catalog.companyName(plan.scope.company) }}.
    </p>
    <TroubleNote v-bind="tried.trouble" />
    <p v-if="done" role="status" class="done">{{ done }}</p>
    <p v-if="copies && !fresh.length" class="quiet">Every rule of that scope already applies here.</p>
    <label v-for="c in fresh" :key="c.rule" class="one" :class="`family-${c.family}`">
      <input
        type="checkbox"
        :checked="chosen.includes(c.rule)"
        @change="mark(c.rule, ($event.target as HTMLInputElement).checked)"
      />
      <span
        ><FamilyGlyph :family="c.family as Family" /> <b>{{ c.field }}</b><br />{{ c.sentence }}</span
      >
    </label>
    <details v-if="known.length">
      <summary>{{ known.length }} already apply here</summary>
      <p v-for="c in known" :key="c.rule" class="quiet">
        {{ c.field }}: {{ c.phrase }} (rule {{ c.already }})
      </p>
    </details>
    <footer>
      <button
        type="button"
        class="button first"
        :disabled="tried.busy || !chosen.length || !copies"
        @click="propose(false)"
      >
        Copy {{ chosen.length }} as drafts
      </button>
      <button type="button" class="button" @click="emit('close')">{{ done ? "Close" : "Cancel" }}</button>
    </footer>
  </aside>
</template>

<style scoped>
.copy {
  width: 384px;
  flex: none;
  overflow: auto;
  border-left: 1px solid var(--rule-strong);
  background: var(--paper-raised);
  padding: 10px 18px 0;
}
header {
  display: flex;
  justify-content: space-between;
}
header button {
  font-size: 18px;
  text-decoration: none;
}
.sentence {
  font: 16px/1.4 var(--serif);
  margin: 8px 0;
}
.one {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px;
  padding: 6px 0;
  border-top: 1px solid var(--rule);
}
.done {
  color: var(--good);
}
summary {
  cursor: pointer;
  color: var(--ink-soft);
  margin-top: 8px;
}
footer {
  display: flex;
  gap: 8px;
  position: sticky;
  bottom: 0;
  background: var(--paper-raised);
  border-top: 1px solid var(--rule);
  padding: 10px 0;
  margin-top: 10px;
}
</style>
