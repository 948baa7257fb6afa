<script setup lang="ts">
import { computed, nextTick, onMounted, ref, useTemplateRef } from "vue";
import { RouterLink } from "vue-router";
import { api, ask, type Schemas } from "@/api/client";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { change } from "@/queries/client";
import { moment } from "@/queries/format";
import OverSheet from "@/ui/OverSheet.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import UseList from "@/ui/UseList.vue";

/** Blanks what the personal fields of a record hold or held: shows first what goes and what stays. */
const props = defineProps<{ kind: string; number: string }>();
const emit = defineEmits<{ close: [] }>();
const catalog = useCatalog();
const tried = useAttempt();
const told = ref<Schemas["BlankTold"]>();
const reason = ref("");
const done = ref(false);
const why = useTemplateRef("why");
const params = { path: { kind: props.kind, number: props.number } };
onMounted(() =>
  tried.attempt(async () => {
    told.value = await ask(api.POST("/records/{kind}/{number}/blank", { params, body: { apply: false } }));
    await nextTick();
    why.value?.focus();
  }),
);
const blank = () =>
  tried.attempt(async () => {
    const body = { apply: true, reason: reason.value };
    told.value = await change(api.POST("/records/{kind}/{number}/blank", { params, body }));
    done.value = true;
  });
const noun = computed(() => catalog.entry(props.kind)?.kind.label ?? "");
const count = (n: number, one: string, many: string) => `${n} ${n === 1 ? one : many}`;
const rest = computed(() => {
  const t = told.value;
  if (!t) return [];
  return [
    t.practice.length && count(t.practice.length, "test posting", "test postings"),
    t.results && count(t.results, "result of runs", "results of runs"),
    t.exports && `the files of ${count(t.exports, "export", "exports")}`,
    t.loads && `${count(t.loads, "load", "loads")} with their files`,
  ].filter(Boolean);
});
const stays = computed(
  () =>
    told.value &&
    told.value.posted.length +
      told.value.elsewhere.length +
      told.value.backups.length +
      told.value.backupsMade.length,
);
</script>

<template>
  <OverSheet label="Blank personal values" @close="emit('close')">
    <h2>{{ done ? "Personal values are blanked" : "Blank personal values" }}: {{ noun }} {{ number }}</h2>
    <template v-if="told">
      <p>
        {{ told.fields.join(", ") }}, in {{ count(told.versions, "version", "versions") }} and in what is
        searched.
        <template v-if="!done"
          >It cannot be taken back. The number, all other fields and the trail stay.</template
        >
      </p>
      <template v-if="told.records.length">
        <h3>Other records with the same values</h3>
        <UseList :uses="told.records" :count="told.recordsCount" />
      </template>
      <p v-if="told.proofs.length">
        In {{ count(told.proofs.length, "proof", "proofs") }}, which may fail then:
        <template v-for="(id, i) in told.proofs.slice(0, 12)" :key="id"
          ><template v-if="i">, </template
          ><RouterLink :to="`/proofs?proof=${id}`">{{ id }}</RouterLink></template
        ><template v-if="told.proofs.length > 12"> and {{ told.proofs.length - 12 }} more</template>.
      </p>
      <p v-if="rest.length">In {{ rest.join(", ") }}.</p>
      <section v-if="stays" class="stays" aria-label="What stays">
        <h3>What stays</h3>
        <template v-if="told.posted.length">
          <p>Posted documents, which never change:</p>
          <UseList :uses="told.posted" :count="told.postedCount" />
        </template>
        <template v-if="told.elsewhere.length">
          <p>Records that hold them in fields that are not marked as personal, under Tables, Fields:</p>
          <UseList :uses="told.elsewhere" :count="told.elsewhereCount" />
        </template>
        <template v-if="told.backups.length || told.backupsMade.length">
          <p>Backups made before:</p>
          <ul>
            <li v-for="b in told.backups" :key="b">
              <code>{{ b }}</code>
            </li>
            <li v-for="b in told.backupsMade" :key="b.at">
              made by {{ b.by }} on {{ moment(b.at) }}, wherever it is kept
            </li>
          </ul>
        </template>
      </section>
      <form v-if="!done" @submit.prevent="blank">
        <label>
          <span class="field-label">Reason, as the trail keeps it; name nobody in it</span>
          <input ref="why" v-model="reason" class="line" required maxlength="500" />
        </label>
        <TroubleNote v-bind="tried.trouble" />
        <footer>
          <button type="submit" class="button first" :disabled="tried.busy || !reason.trim()">
            Blank for good
          </button>
          <button type="button" class="button" @click="emit('close')">Cancel</button>
        </footer>
      </form>
      <footer v-else><button type="button" class="button first" @click="emit('close')">Close</button></footer>
    </template>
    <template v-else>
      <p v-if="tried.busy" class="quiet">Looking for them…</p>
      <TroubleNote v-bind="tried.trouble" />
    </template>
  </OverSheet>
</template>

<style scoped>
h3 {
  font-size: 14px;
  margin: 12px 0 4px;
}
.stays {
  margin-top: 12px;
  padding: 2px 12px 8px;
  border-left: 3px solid var(--rule-strong);
}
ul {
  margin: 4px 0;
  padding-left: 18px;
}
label {
  display: block;
  margin: 14px 0 4px;
}
footer {
  display: flex;
  gap: 10px;
  margin-top: 12px;
}
</style>
