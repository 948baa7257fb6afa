<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRoute } from "vue-router";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import { useList } from "@/ui/list";
import { api, type Field, type Schemas } from "@/api/client";
import FieldEditor from "@/features/tables/FieldEditor.vue";
import KindPicker from "@/features/tables/KindPicker.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import UseList from "@/ui/UseList.vue";
import { askOnce, change, useAsked } from "@/queries/client";
import { useAttempt } from "@/queries/attempt";
import { count, inSentence, moment } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { useSession } from "@/queries/session";

const session = useSession();
const catalog = useCatalog();
const route = useRoute();
const tried = useAttempt();
const entry = computed(() => catalog.entry(String(route.query.kind ?? "")) ?? catalog.kinds[0]);
const kind = computed(() => entry.value?.kind.key ?? "");

const removed = useAsked(
  () => (kind.value ? ["fields", kind.value, "removed"] : undefined),
  (signal) => api.GET("/kinds/{kind}/fields/removed", { params: { path: { kind: kind.value } }, signal }),
);
const editing = ref<{ field?: Field }>();
const removing = ref<{ field: Field; uses: Schemas["FieldUses"] }>();

/** Counts what was opened: an answer about what was opened before opens nothing, and closes nothing. */
let turn = 0;
watch(kind, close);
function close() {
  turn++;
  editing.value = undefined;
  removing.value = undefined;
}
function edit(field?: Field) {
  close();
  editing.value = { field };
}
async function askRemoval(field: Field) {
  close();
  const mine = turn;
  await tried.attempt(async () => {
    const params = { path: { kind: kind.value, key: field.key } };
    const fetch = () => api.GET("/kinds/{kind}/fields/{key}/uses", { params });
    const uses = await askOnce(["fields", kind.value, field.key, "uses"], fetch);
    if (mine === turn) removing.value = { field, uses };
  });
}
async function remove(field: Field) {
  const mine = turn;
  const params = { path: { kind: kind.value, key: field.key } };
  const gone = await tried.attempt(() => change(api.DELETE("/kinds/{kind}/fields/{key}", { params })));
  if (gone && mine === turn) close();
}
async function restore(field: Field) {
  const params = { path: { kind: kind.value, key: field.key } };
  await tried.attempt(() => change(api.POST("/kinds/{kind}/fields/{key}/restore", { params })));
}

const mayChange = computed(() => session.may("setup.change") && session.everywhere);
/** Says whether a field holds what is about a person. */
async function mark(field: Field, personal: boolean) {
  const params = { path: { kind: kind.value, key: field.key } };
  await tried.attempt(() =>
    change(api.PUT("/kinds/{kind}/fields/{key}/personal", { params, body: { personal } })),
  );
}

function about(f: Field): string {
  const parts: string[] = [];
  if (f.kind) parts.push(`to ${inSentence(catalog.entry(f.kind ?? "")?.kind.label) ?? f.kind}`);
  if (f.length) parts.push(`${f.length} characters`);
  if (f.digits) parts.push(`${f.digits} digits`);
  if (f.decimals) parts.push(`${f.decimals} decimals`);
  const list = catalog.catalog?.lists.find((l) => l.key === f.list);
  if (list) parts.push(`from ${inSentence(list.label)}`);
  else if (f.choices?.length) parts.push(`${f.choices.length} choices`);
  return parts.join(", ");
}
const sectionOf = (f: Field) => entry.value?.kind.sections.find((s) => s.key === f.section)?.label ?? "";
const list = useList<Field>(
  () => entry.value?.kind.fields ?? [],
  () => [
    { label: "Label", value: (f) => f.label },
    { label: "Key", value: (f) => f.key },
    { label: "Type", value: (f) => catalog.traits(f.type).label },
    { label: "Details", value: about },
    { label: "Help", value: (f) => f.help },
    { label: "Personal", value: (f) => (f.personal ? "personal" : "") },
    { label: "From", value: (f) => (f.added ? "added" : "standard") },
    { label: "Section", value: sectionOf, fileOnly: true },
  ],
);
/** By section, as forms have them; once they are sorted, all in one. */
const sections = computed(() =>
  list.sorting.by
    ? [{ key: "", label: "", fields: list.rows }]
    : (entry.value?.kind.sections ?? []).map((s) => ({
        ...s,
        fields: entry.value?.kind.fields.filter((f) => f.section === s.key) ?? [],
      })),
);
</script>

<template>
  <div class="page-head">
    <h1 class="of">Fields of <KindPicker /></h1>
    <span class="spring" />
    <ListExport :name="`Fields of ${entry?.kind.plural ?? ''}`" :list="list" />
    <button v-if="mayChange" type="button" class="button" @click="edit()">Add a field</button>
  </div>
  <TroubleNote v-bind="tried.trouble" />
  <TroubleNote :problem="removed.problem" :retry="removed.reload" />
  <FieldEditor
    v-if="editing && entry"
    :key="editing.field?.key"
    :entry="entry"
    :field="editing.field"
    @saved="close"
    @close="close"
  />
  <section v-if="removing" class="edit" aria-label="Remove a field">
    <h2>{{ removing.field.added ? "Remove" : "Put away" }} {{ removing.field.label }}</h2>
    <p>
      <template v-if="removing.uses.values"
        >{{ count(removing.uses.values) }} records hold a value of it. The values are kept and come back with
        the field.</template
      >
      <template v-else>No record holds a value of it.</template>
    </p>
    <template v-if="removing.uses.uses.length">
      <p>It is used by:</p>
      <UseList :uses="removing.uses.uses" />
    </template>
    <p v-else>No rule, proof, layout or map uses it.</p>
    <div class="buttons">
      <button type="button" class="button first" :disabled="tried.busy" @click="remove(removing.field)">
        {{ removing.field.added ? "Remove it" : "Put it away" }}
      </button>
      <button type="button" class="button" @click="close">Cancel</button>
    </div>
  </section>
  <table class="ledger">
    <ListHead :list="list" />
    <tbody v-for="s in sections" :key="s.key">
      <tr v-if="s.label" class="section">
        <td colspan="7">{{ s.label }}</td>
      </tr>
      <tr v-for="f in s.fields" :key="f.key" :class="{ added: f.added }">
        <td>{{ f.label }}</td>
        <td>
          <code>{{ f.key }}</code>
        </td>
        <td>{{ catalog.traits(f.type).label }}</td>
        <td class="quiet">{{ about(f) }}</td>
        <td class="quiet">{{ f.help }}</td>
        <td>
          <label v-if="mayChange" title="Holds what is about a person, and is blanked on request">
            <input
              type="checkbox"
              :checked="f.personal"
              :disabled="tried.busy"
              :aria-label="`${f.label} is personal`"
              @change="mark(f, ($event.target as HTMLInputElement).checked)"
            />
          </label>
          <template v-else-if="f.personal">personal</template>
        </td>
        <td class="right">
          <template v-if="f.added && mayChange">
            <button type="button" class="plain" @click="edit(f)">Change</button>
            <button type="button" class="plain" @click="askRemoval(f)">Remove</button>
          </template>
          <template v-else>
            <span class="quiet">{{ f.added ? "added" : "standard" }}</span>
            <button
              v-if="mayChange"
              type="button"
              class="plain away"
              :aria-label="`Put away ${f.label}`"
              @click="askRemoval(f)"
            >
              Put away
            </button>
          </template>
        </td>
      </tr>
    </tbody>
    <tbody v-if="removed.data?.length">
      <tr class="section">
        <td colspan="7">Removed, or put away</td>
      </tr>
      <tr v-for="r in removed.data" :key="r.field.key">
        <td>{{ r.field.label }}</td>
        <td>
          <code>{{ r.field.key }}</code>
        </td>
        <td>{{ catalog.traits(r.field.type).label }}</td>
        <td class="quiet" colspan="3">
          {{ r.field.added ? "removed" : "put away" }} {{ moment(r.removedAt) }} by {{ r.removedBy }};
          {{ r.values }} values are kept
        </td>
        <td class="right">
          <button
            v-if="mayChange"
            type="button"
            class="plain"
            :disabled="tried.busy"
            @click="restore(r.field)"
          >
            Restore
          </button>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.section td {
  font: 600 13px/1.4 var(--serif);
  background: var(--paper-sunk);
  padding-left: 8px;
}
.added td:first-child {
  font-weight: 600;
}
.right {
  text-align: right;
  white-space: nowrap;
}
.away {
  margin-left: 8px;
}
</style>
