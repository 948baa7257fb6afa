<script setup lang="ts">
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import { count, inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { isOpen, relationOf, type Proposal } from "@/queries/learned";
import LearnedExceptions from "@/features/rules/LearnedExceptions.vue";
import { useSession } from "@/queries/session";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import type { Family } from "@/api/client";

/** One rule that records bear out: what it says, how many bear it out, and what to do with it. */
const props = defineProps<{ proposal: Proposal; kind: string; busy: boolean; mayChange: boolean }>();
const emit = defineEmits<{ accept: [instead: number]; leave: [reason: string] }>();
const catalog = useCatalog();

/** Which form is shown: the proposal itself, or one of the others. */
const form = ref(0);
const shown = computed(() => (form.value ? props.proposal.instead[form.value - 1]! : props.proposal));
const share = computed(() => shown.value.holds / Math.max(1, shown.value.holds + shown.value.breaks));
const percent = computed(() => {
  const tenths = Math.floor(share.value * 1000);
  return `${tenths / 10} %`;
});
const exceptions = ref(false);
const leaving = ref(false);
const reason = ref("");
const session = useSession();
/** The records themselves are for those who may read them. */
const mayRead = computed(() => session.may("records.read", props.kind));
const plural = computed(() => inSentence(catalog.entry(props.kind)?.kind.plural) ?? "records");
const lines = computed(() => props.proposal.target.startsWith("lines."));
</script>

<template>
  <article class="proposal" :class="{ done: !isOpen(proposal) }" :aria-label="shown.sentence">
    <FamilyGlyph :family="shown.family as Family" />
    <div class="said">
      <p class="sentence">{{ shown.sentence }}</p>
      <p class="evidence">
        <span class="bar" aria-hidden="true"><i :style="{ width: `${share * 100}%` }" /></span>
        {{ count(shown.holds) }} {{ lines ? "lines" : plural }} bear it out<template v-if="shown.breaks"
          >,
          <button
            v-if="shown.exceptions.length && mayRead"
            type="button"
            class="plain"
            :aria-expanded="exceptions"
            @click="exceptions = !exceptions"
          >
            {{ count(shown.breaks) }} {{ shown.breaks === 1 ? "does" : "do" }} not</button
          ><template v-else>{{ count(shown.breaks) }} do not</template> ({{ percent }})</template
        ><template v-else>, and none contradicts it</template>.
        <template v-if="shown.table"
          >It needs a table, {{ shown.table
          }}<template v-if="shown.rows">, with {{ count(shown.rows) }} rows</template>, which is made with
          it.</template
        >
        <template v-if="shown.unsure">
          Nothing it is taken from has changed yet, so it is proposed as copied.</template
        >
      </p>
      <LearnedExceptions v-if="exceptions" :kind="kind" :proposal="shown" :of="proposal.key" :form="form" />
      <p v-for="e in shown.existing.slice(0, 3)" :key="e.rule" class="existing">
        <RouterLink :to="`/plan?rule=${e.rule}`">Rule {{ e.rule }}</RouterLink>
        <span class="quiet"> ({{ e.state }}) {{ relationOf(e) }}:</span> {{ e.sentence }}
      </p>
      <p v-if="proposal.instead.length" class="forms">
        <template v-for="(p, i) in [proposal, ...proposal.instead]" :key="i">
          <button v-if="i !== form" type="button" class="plain" @click="((form = i), (exceptions = false))">
            {{ i ? "Instead" : "Back to" }}: {{ p.sentence }} ({{ count(p.holds) }} and {{ count(p.breaks) }})
          </button>
        </template>
      </p>
      <p v-if="proposal.aside" class="quiet">Left alone: {{ proposal.aside }}</p>
      <form v-if="leaving" class="leaving" @submit.prevent="((leaving = false), emit('leave', reason))">
        <label
          ><span class="field-label">Why it is left alone</span
          ><input v-model="reason" class="line" required autofocus
        /></label>
        <button type="submit" class="button first">Leave it alone</button>
        <button type="button" class="button" @click="leaving = false">Cancel</button>
      </form>
    </div>
    <div v-if="mayChange && !leaving" class="deeds">
      <button
        v-if="isOpen(proposal)"
        type="button"
        class="button"
        :disabled="busy"
        @click="emit('accept', form)"
      >
        Make a draft
      </button>
      <button v-if="isOpen(proposal)" type="button" class="plain" @click="leaving = true">Leave alone</button>
      <button v-if="proposal.aside" type="button" class="plain" :disabled="busy" @click="emit('leave', '')">
        Open again
      </button>
    </div>
  </article>
</template>

<style scoped>
.proposal {
  display: flex;
  gap: 12px;
  padding: 10px 0;
  border-bottom: 1px solid var(--rule);
}
.said {
  flex: 1;
  min-width: 0;
}
.sentence {
  font: 16px/1.4 var(--serif);
  margin: 0 0 2px;
  overflow-wrap: anywhere;
}
.evidence,
.existing,
.forms {
  margin: 2px 0;
  color: var(--ink-soft);
}
.bar {
  display: inline-block;
  width: 70px;
  height: 5px;
  margin-right: 6px;
  vertical-align: middle;
  background: var(--paper-sunk);
  border: 1px solid var(--rule);
}
.bar i {
  display: block;
  height: 100%;
  background: var(--ink-soft);
}
.forms .plain {
  display: block;
  text-align: left;
}
.deeds {
  display: flex;
  flex-direction: column;
  align-items: flex-end;
  gap: 6px;
}
.leaving {
  display: flex;
  gap: 8px;
  align-items: end;
  max-width: 560px;
}
.leaving label {
  flex: 1;
}
.done .sentence {
  color: var(--ink-soft);
}
</style>
