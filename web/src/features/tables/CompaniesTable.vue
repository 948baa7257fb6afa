<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { computed } from "vue";
import { api, ask, type Company } from "@/api/client";
import type { Format } from "@/ui/format";
import EntryForm from "@/ui/EntryForm.vue";
import { useEntryForm } from "@/ui/entryForm";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const path = (company: Company) => ({ params: { path: { key: company.key } } });
const { draft, adding, busy, trouble, edit, save, remove, leave } = useEntryForm<Company>({
  blank: () => ({
    key: "",
    name: "",
    country: "",
    currency: "",
    rounding: "half-up",
    calendar: { freeDays: [6, 7], holidays: [] },
  }),
  save: (company) => ask(api.PUT("/companies/{key}", { ...path(company), body: company })),
  remove: (company) => ask(api.DELETE("/companies/{key}", path(company))),
  reload: catalog.load,
});
const days = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];

const zones = Intl.supportedValuesOf("timeZone");
/** The usual ways to write; people who choose their own keep it. */
const ways: { label: string; format: Format }[] = [
  { label: "24/11/2026 · 1,234.50", format: { decimal: ".", group: ",", date: "dmy", separator: "/" } },
  { label: "24.11.2026 · 1.234,50", format: { decimal: ",", group: ".", date: "dmy", separator: "." } },
  { label: "24.11.2026 · 1’234.50", format: { decimal: ".", group: "’", date: "dmy", separator: "." } },
  { label: "11/24/2026 · 1,234.50", format: { decimal: ".", group: ",", date: "mdy", separator: "/" } },
  { label: "2026-11-24 · 1,234.50", format: { decimal: ".", group: ",", date: "ymd", separator: "-" } },
];
const written = computed({
  get: () => ways.find((w) => JSON.stringify(w.format) === JSON.stringify(draft.value?.format))?.label ?? "",
  set: (label) => (draft.value!.format = ways.find((w) => w.label === label)?.format),
});

function toggleDay(day: number) {
  const free = draft.value!.calendar.freeDays;
  draft.value!.calendar.freeDays = free.includes(day) ? free.filter((d) => d !== day) : [...free, day];
}
</script>

<template>
  <div class="page-head">
    <h1>Companies</h1>
    <span class="spring" />
    <button type="button" class="button" @click="edit()">Add a company</button>
  </div>
  <table class="ledger">
    <thead>
      <tr>
        <th>Key</th>
        <th>Name</th>
        <th>Country</th>
        <th>Currency</th>
        <th>Rounds</th>
        <th>Free days</th>
        <th>Holidays</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="c in catalog.catalog?.companies" :key="c.key" :class="{ open: draft?.key === c.key }">
        <td>
          <button type="button" class="plain" @click="edit(c)">{{ c.key }}</button>
        </td>
        <td class="serif">{{ c.name }}</td>
        <td>{{ c.country }}</td>
        <td>{{ c.currency }}</td>
        <td>{{ c.rounding.replace("-", " ") }}</td>
        <td>{{ c.calendar.freeDays.map((d) => days[d - 1]!.slice(0, 3)).join(", ") }}</td>
        <td>{{ c.calendar.holidays.length }}</td>
      </tr>
    </tbody>
  </table>
  <EntryForm
    v-if="draft"
    :label="adding ? 'New company' : `Company ${draft.key}`"
    :title="adding ? 'New company' : `${draft.key} ${draft.name}`"
    :trouble="trouble"
    :busy="busy"
    :adding="adding"
    @save="save"
    @leave="leave"
    @remove="remove"
  >
    <div class="fields">
      <label v-if="adding"
        ><span class="field-label">Key</span><input v-model.trim="draft.key" class="line" required
      /></label>
      <label class="wide"
        ><span class="field-label">Name</span><input v-model="draft.name" class="line" required
      /></label>
      <label
        ><span class="field-label">Country</span
        ><input v-model.trim="draft.country" class="line" placeholder="Ireland, or IE" required
      /></label>
      <label
        ><span class="field-label">Currency</span
        ><input v-model.trim="draft.currency" class="line" placeholder="Euro, or EUR" required
      /></label>
      <label
        ><span class="field-label">Rounds</span>
        <select v-model="draft.rounding" class="line">
          <option value="half-up">half up</option>
          <option value="half-even">half even</option>
        </select></label
      >
      <label
        ><span class="field-label">Time zone</span>
        <ElSelect
          v-model="draft.timeZone"
          filterable
          clearable
          placeholder="of the machine"
          aria-label="Time zone"
        >
          <ElOption v-for="z in zones" :key="z" :value="z" :label="z" />
        </ElSelect>
      </label>
      <label
        ><span class="field-label">Numbers and dates</span>
        <ElSelect
          v-model="written"
          aria-label="How numbers and dates are written"
          placeholder="as people's browsers do"
        >
          <ElOption value="" label="as people's browsers do" />
          <ElOption v-for="w in ways" :key="w.label" :value="w.label" :label="w.label" />
        </ElSelect>
      </label>
    </div>
    <fieldset>
      <legend class="field-label">Days on which nobody works</legend>
      <label v-for="(name, i) in days" :key="name" class="day">
        <input
          type="checkbox"
          :checked="draft.calendar.freeDays.includes(i + 1)"
          @change="toggleDay(i + 1)"
        />
        {{ name }}
      </label>
    </fieldset>
    <div class="holidays">
      <span class="field-label">Holidays</span>
      <p v-for="(h, i) in draft.calendar.holidays" :key="i">
        <input v-model="h.day" type="date" class="line date" aria-label="Day of the holiday" required />
        <input v-model="h.name" class="line" aria-label="Name of the holiday" />
        <button
          type="button"
          class="plain"
          aria-label="Remove the holiday"
          @click="draft.calendar.holidays.splice(i, 1)"
        >
          ×
        </button>
      </p>
      <button type="button" class="plain" @click="draft.calendar.holidays.push({ day: '', name: '' })">
        Add a holiday
      </button>
    </div>
  </EntryForm>
</template>

<style scoped>
.holidays p {
  display: flex;
  gap: 6px;
  margin: 0 0 4px;
  max-width: 480px;
}
.date {
  width: 150px;
  flex: none;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0 0 10px;
}
.day {
  margin-right: 14px;
}
</style>
