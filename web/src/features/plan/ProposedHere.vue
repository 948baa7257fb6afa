<script setup lang="ts">
import { computed, onUnmounted } from "vue";
import { RouterLink } from "vue-router";
import { isOpen, proposing, useLearned } from "@/queries/learned";
import { usePlan } from "@/queries/plan";
import { useSession } from "@/queries/session";

/** Whether the plan shows where rules wait that records bear out; nothing of them until somebody asks. */
const plan = usePlan();
const session = useSession();
const learned = useLearned(() => plan.scope.kind);
const waiting = computed(() => (learned.data?.proposals ?? []).filter(isOpen));
onUnmounted(() => (proposing.value = false));
</script>

<template>
  <p v-if="session.everywhere && waiting.length" class="proposed">
    <button type="button" class="plain" :aria-pressed="proposing" @click="proposing = !proposing">
      {{ proposing ? "Hide" : "Show" }} where {{ waiting.length }}
      {{ waiting.length === 1 ? "rule waits" : "rules wait" }} that records bear out
    </button>
    <RouterLink v-if="proposing" :to="{ path: '/rules/learned', query: { kind: plan.scope.kind } }"
      >All of them</RouterLink
    >
  </p>
</template>

<style scoped>
.proposed {
  flex: none;
  margin: 0;
  padding: 3px 16px;
  border-bottom: 1px solid var(--rule);
  display: flex;
  gap: 14px;
}
.plain {
  text-decoration: none;
}
.plain:hover {
  text-decoration: underline;
}
</style>
