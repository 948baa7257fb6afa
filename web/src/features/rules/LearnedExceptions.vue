<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { ref, watch } from "vue";
import { RouterLink } from "vue-router";
import CorrectCell from "@/features/records/CorrectCell.vue";
import { useAttempt } from "@/queries/attempt";
import { count } from "@/queries/format";
import { exceptionsOf, type Exception, type Proposal } from "@/queries/learned";
import { useSession } from "@/queries/session";
import TroubleNote from "@/ui/TroubleNote.vue";

/**
 * The records that do not bear a proposal out, to be corrected in place: the value is the one that the rule
 * would give, or another. The list stays as it was opened, so that the cursor stays where it is.
 */
const props = defineProps<{ kind: string; proposal: Proposal; of: string; form: number }>();
const tried = useAttempt();
const session = useSession();
const found = ref<Exception[]>();
watch(
  () => [props.of, props.form] as const,
  () => tried.attempt(async () => (found.value = await exceptionsOf(props.kind, props.of, props.form))),
  { immediate: true },
);
/** Of many the first are drawn. */
const most = ref(20);
const mayChange = (e: Exception) => !e.posted && session.may("records.change", props.kind);
</script>

<template>
  <TroubleNote v-bind="tried.trouble" />
  <table v-if="found?.length" class="ledger exceptions" aria-label="Exceptions">
    <tbody>
      <tr v-for="e in found.slice(0, most)" :key="`${e.number} ${e.changes[0]?.line}`">
        <td class="nowrap">
          <RouterLink
            :to="{
              path: recordPlace(kind, e.number),
              query: { field: e.changes[0]?.field, line: e.changes[0]?.line || undefined },
            }"
            >{{ e.number }}</RouterLink
          >
        </td>
        <td>
          {{ e.title }}
          <span class="quiet"
            >{{ e.company }} {{ e.type
            }}<template v-if="e.changes[0]?.line"> line {{ e.changes[0].line }}</template
            ><template v-if="e.posted">, posted</template></span
          >
        </td>
        <td>
          <div v-for="c in e.changes" :key="`${c.field} ${c.line}`">
            <CorrectCell :of="e" :change="c" :posted="!mayChange(e)" />
          </div>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-else-if="found" class="quiet">They were put right since, or are gone.</p>
  <p v-if="found" class="quiet">
    <button v-if="found.length > most" type="button" class="plain" @click="most += 100">
      Show {{ count(Math.min(100, found.length - most)) }} more
    </button>
    <template v-if="proposal.breaks > found.length">
      Of {{ count(proposal.breaks) }} the first {{ count(found.length) }} are listed.</template
    >
  </p>
</template>

<style scoped>
.exceptions {
  max-width: 900px;
  margin: 4px 0;
}
td {
  vertical-align: top;
}
</style>
