<script setup lang="ts">
import { computed } from "vue";
import type { Act } from "@/api/client";
import { did } from "@/ui/families";

const props = defineProps<{ act: Act; part?: "deed" | "facts" }>();
const more = computed(() => {
  if (props.act.did === "beaten") return ` by rule ${props.act.by}, which goes first`;
  return props.act.reason ? `: ${props.act.reason}` : "";
});
const changed = computed(() => props.act.did === "acted" && props.act.before.text !== props.act.after.text);
</script>

<template>
  <div class="act">
    <p v-if="part !== 'facts'">
      <strong>{{ did[act.did] }}{{ more }}</strong>
      <span v-if="changed"
        >&ensp;{{ act.before.text || "blank" }} → <b>{{ act.after.text || "blank" }}</b></span
      >
    </p>
    <table v-if="act.facts.length && part !== 'deed'">
      <tbody>
        <tr v-for="f in act.facts" :key="f.text">
          <td>
            {{ f.text }}
          </td>
          <td>{{ f.value }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
p {
  margin: 0 0 4px;
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 12px;
}
td {
  border-top: 1px solid var(--rule);
  padding: 2px 8px 2px 0;
  vertical-align: top;
  overflow-wrap: anywhere;
}
td:last-child {
  white-space: nowrap;
  font-weight: 500;
}
</style>
