<script setup lang="ts">
import { computed } from "vue";
import type { Codicil, Schemas } from "@/api/client";
import { moment } from "@/queries/format";

/** Who must sign a codicil, and who did. */
const props = defineProps<{ codicil: Codicil; needs: Schemas["SignatureNeed"][] }>();
const persons = (n: Schemas["SignatureNeed"]) => (n.role ? `${n.count} as ${n.roleName}` : n.roleName);
const signed = computed(() => [...props.codicil.signatures].reverse());
</script>

<template>
  <section class="signatures" aria-label="Signatures">
    <h2>Signatures</h2>
    <ul v-if="needs.length" class="needs">
      <li v-for="(n, i) in needs" :key="i" :class="{ given: !n.missing }">
        <span class="mark" aria-hidden="true">{{ n.missing ? "○" : "●" }}</span>
        <b>{{ persons(n) }}</b><template v-if="n.role">: {{ n.title }}</template>
        <span class="quiet">{{
          n.missing
            ? n.unknown
              ? " missing; a full replay tells whether it is needed"
              : n.missing < n.count
                ? ` ${n.missing} missing`
                : " missing"
            : " signed"
        }}</span>
      </li>
    </ul>
    <table v-if="signed.length" class="ledger">
      <tbody>
        <tr v-for="(s, i) in signed" :key="i" :class="{ lost: !s.valid }">
          <td class="nowrap">{{ moment(s.at) }}</td>
          <td>
            <b>{{ s.by }}</b> <span class="quiet">{{ s.roles.join(", ") }}</span>
            <p v-if="s.reason">“{{ s.reason }}”</p>
          </td>
          <td>
            <template v-if="!s.valid">Taken away by a later change.</template>
            <details v-if="s.lines.length">
              <summary>What was read</summary>
              <p v-for="(l, j) in s.lines" :key="j">{{ l }}</p>
            </details>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.needs {
  list-style: none;
  margin: 4px 0 8px;
  padding: 0;
}
.mark {
  margin-right: 6px;
  color: var(--refused);
}
.given .mark {
  color: var(--good);
}
.lost {
  color: var(--ink-soft);
}
.lost b {
  font-weight: 400;
  text-decoration: line-through;
}
td {
  vertical-align: top;
}
td p {
  margin: 2px 0;
}
</style>
