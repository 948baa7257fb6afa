<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import { parseAddress } from "@/api/address";
import LateInput from "@/ui/LateInput.vue";
import MessageList from "@/ui/MessageList.vue";
import { useCatalog } from "@/queries/catalog";
import { usePlan } from "@/queries/plan";

const emit = defineEmits<{ point: [field: string, line?: number]; post: [] }>();
const plan = usePlan();
const catalog = useCatalog();

const verdict = computed(() => {
  if (!plan.hasDocument || !plan.outcome) return "";
  if (plan.posted) return "posted";
  return plan.outcome.verdict;
});
const messages = computed(() => plan.outcome?.messages ?? []);
const refusals = computed(() => messages.value.filter((m) => m.severity === "refuse").length);

/** What the document would be a change of. */
const changeOf = computed(() => {
  const record = plan.record || plan.changeOf?.record;
  if (record) return `a change of ${record}`;
  return plan.isChange || plan.changeOf ? "a change" : "a change of it as it stands";
});

const naming = ref(false);
const name = ref("");
/** The addresses whose values are expected; none: all. */
const expected = ref<string[]>([]);
const addresses = computed(() =>
  [...plan.fields.keys()].map((address) => {
    const { key, line } = parseAddress(address);
    return { address, label: catalog.label(key, line) };
  }),
);

/** The rules that had their chance, and what they did: those that act are proved unless others are chosen. */
const chances = computed(() => {
  const found = new Map<number, { phrase: string; acts: boolean }>();
  for (const field of plan.fields.values())
    for (const a of field.acts) {
      const acts = ["acted", "speaks", "failed"].includes(a.did);
      found.set(a.rule, { phrase: a.phrase, acts: acts || !!found.get(a.rule)?.acts });
    }
  return [...found].map(([rule, r]) => ({ rule, ...r })).sort((a, b) => a.rule - b.rule);
});
const proves = ref<number[]>([]);
const mustAct = ref(false);
function begin() {
  naming.value = true;
  proves.value = chances.value.filter((r) => r.acts).map((r) => r.rule);
}

async function keep() {
  const fields = expected.value.length ? expected.value : undefined;
  await plan.keep(name.value.trim(), proves.value, fields, mustAct.value || undefined);
  naming.value = false;
  name.value = "";
  expected.value = [];
  mustAct.value = false;
}
</script>

<template>
  <section class="bar" aria-label="Test document">
    <MessageList
      v-if="plan.hasDocument && messages.length"
      class="messages"
      :messages="messages"
      :kind="plan.scope.kind"
      :reasons="plan.reasons"
      @point="(field, line) => emit('point', field, line)"
      @reason="plan.giveReason"
    />
    <div class="actions">
      <span v-if="plan.problem" class="verdict refused" role="alert">{{ plan.problem }}</span>
      <span v-else-if="plan.ignored.length" class="verdict" role="status">
        No field is called {{ plan.ignored.join(", ") }}; ignored.
        <button type="button" class="plain" @click="plan.ignored = []">Dismiss</button>
      </span>
      <span v-else-if="plan.kept" class="verdict accepted" role="status">
        Saved as proof {{ plan.kept.id }}:
        <RouterLink :to="`/proofs?proof=${plan.kept.id}`">{{ plan.kept.name }}</RouterLink>
      </span>
      <span v-else-if="plan.posted" class="verdict accepted" role="status">
        Posted to the practice ledger as
        <RouterLink :to="`/ledger/${encodeURIComponent(plan.posted.number)}`">{{
          plan.posted.number
        }}</RouterLink>
      </span>
      <span v-else-if="verdict === 'accepted'" class="verdict accepted" role="status">Would be accepted</span>
      <span v-else-if="verdict === 'needs reason'" class="verdict" role="status">Would need a reason</span>
      <span v-else-if="verdict === 'refused'" class="verdict refused" role="status">
        Would be refused: {{ refusals }} {{ refusals === 1 ? "reason" : "reasons" }}
      </span>
      <span v-else class="verdict quiet"
        >Type a test document into the column <em>Entered</em>, or take one from below.</span
      >
      <span v-if="!naming" class="spring" />
      <form v-if="naming" class="naming" @submit.prevent="keep">
        <input
          v-model="name"
          class="line"
          aria-label="Name of the proof"
          placeholder="Name (optional; one is proposed)"
          autofocus
          @keydown.esc.stop="naming = false"
        />
        <SelectBox
          v-model="proves"
          multiple
          placeholder="proves the rules that act"
          label="Rules that it proves"
          class="expected"
          :options="chances.map((r) => ({ value: r.rule, label: `rule ${r.rule}` }))"
        >
          <template #default="{ option }">
            {{ option.label }}, {{ chances.find((r) => r.rule === option.value)?.phrase }}
            <i v-if="!chances.find((r) => r.rule === option.value)?.acts" class="quiet">does not act</i>
          </template>
        </SelectBox>
        <label class="as" title="The proof fails when one of them that acts now does not act">
          <input v-model="mustAct" type="checkbox" /> must act
        </label>
        <SelectBox
          v-model="expected"
          multiple
          placeholder="expects all values"
          label="Values that the proof expects"
          class="expected"
          :options="addresses.map((a) => ({ value: a.address, label: a.label }))"
        />
        <button class="button first" type="submit" :disabled="plan.busy">Save proof</button>
        <button class="button" type="button" @click="naming = false">Cancel</button>
      </form>
      <template v-else>
        <label v-if="plan.hasDocument" class="as" title="Rules may ask who enters the document">
          as
          <LateInput
            :value="plan.user"
            :placeholder="catalog.catalog?.user"
            aria-label="Entered by"
            @take="plan.as($event)"
          />
        </label>
        <label
          v-if="plan.hasDocument"
          class="as"
          title="Rules may run on new records, on changes, or on both"
        >
          judged as
          <SelectBox
            :model-value="plan.isChange ? 'change' : 'new'"
            label="Judged as"
            class="judged"
            :options="[
              { value: 'new', label: 'new' },
              { value: 'change', label: changeOf },
            ]"
            @change="plan.judgeAs($event === 'change')"
          />
        </label>
        <slot />
        <button class="button" type="button" :disabled="!plan.hasDocument" @click="plan.clear()">
          Clear
        </button>
        <button class="button" type="button" :disabled="!plan.hasDocument || plan.busy" @click="begin">
          Save as proof
        </button>
        <button
          class="button first"
          type="button"
          :disabled="!plan.hasDocument || plan.busy"
          title="Ctrl Enter"
          @click="emit('post')"
        >
          Post the test
        </button>
      </template>
    </div>
  </section>
</template>

<style scoped>
.bar {
  flex: none;
  border-top: 1px solid var(--rule-strong);
  background: var(--paper-raised);
}
.messages {
  padding: 7px 20px 2px;
  max-height: 118px;
  overflow: auto;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(400px, 1fr));
  column-gap: 24px;
}
.actions {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 7px 20px;
}
.verdict {
  font: 15px/1.3 var(--serif);
  overflow: hidden;
  text-overflow: ellipsis;
}
.accepted {
  color: var(--good);
}
.refused {
  color: var(--refused);
}
.spring {
  flex: 1;
}
.as {
  display: flex;
  gap: 5px;
  align-items: center;
  color: var(--ink-soft);
  white-space: nowrap;
}
.as input {
  width: 92px;
}
.judged {
  width: 96px;
}
.expected {
  flex: 0 0 170px;
}
.naming {
  flex: 1;
  display: flex;
  gap: 8px;
  align-items: center;
  min-width: 0;
}
.naming > input {
  flex: 1;
  min-width: 160px;
}
</style>
