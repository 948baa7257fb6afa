<script setup lang="ts">
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import type { Message } from "@/api/client";
import SeverityMark from "@/components/SeverityMark.vue";
import { usePlan } from "@/stores/plan";
import { useCatalog } from "@/stores/catalog";

const emit = defineEmits<{ point: [field: string]; post: [] }>();
const plan = usePlan();
const catalog = useCatalog();

const verdict = computed(() => {
  if (!plan.hasDocument || !plan.outcome) return "";
  if (plan.posted) return "posted";
  return plan.outcome.verdict;
});
const messages = computed(() => {
  const rank = { refuse: 0, confirm: 1, advise: 2 };
  return [...(plan.outcome?.messages ?? [])].sort((a, b) => rank[a.severity] - rank[b.severity]);
});

const naming = ref(false);
const name = ref("");

async function keep() {
  await plan.keep(name.value.trim(), []);
  naming.value = false;
  name.value = "";
}

async function giveReason(message: Message, reason: string) {
  const next = { ...plan.reasons };
  if (reason.trim()) next[String(message.rule)] = reason.trim();
  else delete next[String(message.rule)];
  plan.reasons = next;
  await plan.tryDocument();
}
</script>

<template>
  <section class="bar" aria-label="Test document">
    <ul v-if="plan.hasDocument && messages.length" class="messages" aria-live="polite">
      <li v-for="(m, i) in messages" :key="i" :class="m.severity">
        <SeverityMark :severity="m.severity" />
        <button type="button" class="plain" @click="emit('point', m.field)">
          {{ catalog.field(m.field)?.label }}
        </button>
        <span class="text">{{ m.text }}</span>
        <label v-if="m.severity === 'confirm'" class="reason">
          Reason
          <input
            class="line"
            :value="m.reason ?? plan.reasons[String(m.rule)] ?? ''"
            @change="giveReason(m, ($event.target as HTMLInputElement).value)"
          />
        </label>
      </li>
    </ul>
    <div class="actions">
      <span v-if="plan.problem" class="verdict refused" role="alert">{{ plan.problem }}</span>
      <span v-else-if="plan.posted" class="verdict accepted" role="status">
        Posted to the practice ledger as
        <RouterLink :to="`/ledger/${plan.posted.number}`">{{ plan.posted.number }}</RouterLink>
      </span>
      <span v-else-if="plan.kept" class="verdict accepted" role="status">
        Kept as proof {{ plan.kept.id }}:
        <RouterLink :to="`/proofs?proof=${plan.kept.id}`">{{ plan.kept.name }}</RouterLink>
      </span>
      <span v-else-if="verdict === 'accepted'" class="verdict accepted" role="status">Would be accepted</span>
      <span v-else-if="verdict === 'needs reason'" class="verdict" role="status">Would need a reason</span>
      <span v-else-if="verdict === 'refused'" class="verdict refused" role="status">
        Would be refused: {{ messages.filter((m) => m.severity === "refuse").length }}
        {{ messages.filter((m) => m.severity === "refuse").length === 1 ? "reason" : "reasons" }}
      </span>
      <span v-else class="verdict quiet"
        >Type a test document into the column <em>Entered</em>, or take one from below.</span
      >
      <span class="spring" />
      <form v-if="naming" class="naming" @submit.prevent="keep">
        <input
          v-model="name"
          class="line"
          aria-label="Name of the proof"
          placeholder="What does it prove? (a name is made if left blank)"
          autofocus
          @keydown.esc.stop="naming = false"
        />
        <button class="button first" type="submit" :disabled="plan.busy">Keep</button>
        <button class="button" type="button" @click="naming = false">Do not keep</button>
      </form>
      <template v-else>
        <slot />
        <button class="button" type="button" :disabled="!plan.hasDocument" @click="plan.clear()">
          Clear
        </button>
        <button
          class="button"
          type="button"
          :disabled="!plan.hasDocument || plan.busy"
          @click="naming = true"
        >
          Keep as proof
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
  list-style: none;
  margin: 0;
  padding: 7px 20px 2px;
  max-height: 118px;
  overflow: auto;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(400px, 1fr));
  column-gap: 24px;
}
.messages li {
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding: 1px 0;
}
.messages .confirm {
  grid-column: 1 / -1;
  align-items: center;
}
.messages .refuse {
  color: var(--refused);
}
.messages .plain {
  font-weight: 600;
  white-space: nowrap;
}
.reason {
  display: flex;
  align-items: center;
  gap: 6px;
  color: var(--ink-soft);
}
.reason input {
  width: 220px;
  padding: 2px 6px;
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
.naming {
  display: flex;
  gap: 8px;
  flex: 2;
}
</style>
