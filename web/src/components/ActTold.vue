<script setup lang="ts">
import type { Act } from "@/api/client";
import { did } from "@/families";

defineProps<{ act: Act }>();
</script>

<template>
  <div class="act">
    <p>
      <strong>{{ did[act.did] }}</strong><template v-if="act.did === 'beaten'">
        by rule {{ act.by }}, which goes first</template
      ><template v-if="act.did === 'acted' && act.before.text !== act.after.text">
        : {{ act.before.text || "blank" }} → <b>{{ act.after.text || "blank" }}</b></template
      ><template v-if="act.reason">: {{ act.reason }}</template>
    </p>
    <table v-if="act.facts.length">
      <tbody>
        <tr v-for="f in act.facts" :key="f.text">
          <td>
            <code>{{ f.text }}</code>
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
