<script setup lang="ts">
import type { Message } from "@/api/client";

defineProps<{ severity: Message["severity"] }>();
const signs = { refuse: "✕", confirm: "?", advise: "i" };
const words = { refuse: "refused", confirm: "needs a reason", advise: "advice" };
</script>

<template>
  <span class="mark" aria-hidden="true">{{ signs[severity] }}</span>
  <span class="visually-hidden">{{ words[severity] }}:</span>
</template>

<style scoped>
.mark {
  font: 600 10px/14px var(--sans);
  width: 15px;
  height: 15px;
  flex: none;
  text-align: center;
  border: 1px solid currentcolor;
  border-radius: 50%;
  align-self: center;
}
</style>
