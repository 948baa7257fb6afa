<script setup lang="ts">
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import MessageList from "@/components/MessageList.vue";
import { usePlan } from "@/stores/plan";

const emit = defineEmits<{ point: [field: string, line?: number]; post: [] }>();
const plan = usePlan();

const verdict = computed(() => {
  if (!plan.hasDocument || !plan.outcome) return "";
  if (plan.posted) return "posted";
  return plan.outcome.verdict;
});
const messages = computed(() => plan.outcome?.messages ?? []);
const refusals = computed(() => messages.value.filter((m) => m.severity === "refuse").length);

const naming = ref(false);
const name = ref("");

async function keep() {
  await plan.keep(name.value.trim(), []);
  naming.value = false;
  name.value = "";
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
      <span v-else-if="plan.kept" class="verdict accepted" role="status">
        Kept as proof {{ plan.kept.id }}:
        <RouterLink :to="`/proofs?proof=${plan.kept.id}`">{{ plan.kept.name }}</RouterLink>
      </span>
      <span v-else-if="plan.posted" class="verdict accepted" role="status">
        Posted to the practice ledger as
        <RouterLink :to="`/ledger/${plan.posted.number}`">{{ plan.posted.number }}</RouterLink>
      </span>
      <span v-else-if="verdict === 'accepted'" class="verdict accepted" role="status">Would be accepted</span>
      <span v-else-if="verdict === 'needs reason'" class="verdict" role="status">Would need a reason</span>
      <span v-else-if="verdict === 'refused'" class="verdict refused" role="status">
        Would be refused: {{ refusals }} {{ refusals === 1 ? "reason" : "reasons" }}
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
.naming {
  display: flex;
  gap: 8px;
  flex: 2;
}
</style>
