<script setup lang="ts">
import RunProgress from "@/ui/RunProgress.vue";
import { computed } from "vue";
import { count } from "@/queries/format";
import { expected, outcomes } from "@/queries/loads";
import { runStates, works, type Run } from "@/queries/runs";

/** How far a run is, and what it has counted so far. */
const props = defineProps<{ run: Run }>();
const of = (what: string) => props.run.counts?.[what] ?? 0;
/** The share of wrong versions that proofs notice, in percent. */
const strength = computed(() =>
  of("versions") ? Math.floor((100 * of("noticed")) / of("versions")) : undefined,
);
/** What is only looked at is not done yet. */
const words = computed(() => (props.run.what === "merge-check" ? expected : outcomes));
const verb = computed(() => ({ proofs: "done", export: "written" })[props.run.what as string] ?? "looked at");
</script>

<template>
  <p role="status" class="counts">
    <template v-if="run.state === 'failed'">Failed: {{ run.problem }}</template>
    <template v-else-if="!run.counts" />
    <template
      v-else-if="
        run.what !== 'export' && run.what !== 'proofs' && run.what !== 'impact' && run.what !== 'replay'
      "
    >
      <span v-for="(n, what) in run.counts" :key="what" class="one"
        >{{ words[what] ?? what }} <b>{{ count(n) }}</b></span
      >
    </template>
    <template v-else-if="run.what === 'export'">
      <b>{{ count(of("records")) }}</b> {{ of("records") === 1 ? "record" : "records" }} written.
    </template>
    <template v-else-if="run.what === 'proofs'">
      <b>{{ count(of("passed")) }}</b> {{ of("passed") === 1 ? "proof passes" : "proofs pass" }},
      <b>{{ count(of("failed")) }}</b> {{ of("failed") === 1 ? "fails" : "fail"
      }}<template v-if="strength !== undefined"
        >; {{ strength }} % of {{ count(of("versions")) }} wrong versions are noticed</template
      >.
    </template>
    <template v-else-if="run.what === 'replay'">
      Of {{ count(of("looked")) }} saved records and posted documents, <b>{{ count(of("refused")) }}</b> would
      be refused or asked a reason for, and <b>{{ count(of("changed")) }}</b> would get different
      values<template v-if="of('drifted')"
        >; {{ count(of("drifted")) }} of these differ from what is saved already, without it</template
      >.
    </template>
    <template v-else-if="of('refused') || of('changed')">
      Of {{ count(of("looked")) }} in its scope it would refuse <b>{{ count(of("refused")) }}</b> and change
      <b>{{ count(of("changed")) }}</b> when they are saved next.
    </template>
    <template v-else-if="run.state === 'done'">
      None of {{ count(of("looked")) }} in its scope would be refused or changed.
    </template>
    <template v-else
      >Of {{ count(of("looked")) }} in its scope none would be refused or changed so far.</template
    >
    <RunProgress v-if="works(run)" class="far" :run="run" :verb="verb" />
    <span v-else-if="run.state !== 'done' && run.state !== 'failed'" class="quiet">
      {{ runStates[run.state] }} after {{ count(run.done) }} of {{ count(run.total) }}
    </span>
  </p>
</template>

<style scoped>
.counts {
  margin: 0 0 6px;
}
.one {
  margin-right: 14px;
}
.far {
  margin-left: 6px;
}
</style>
