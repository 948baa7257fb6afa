<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed } from "vue";
import { api, type Company } from "@/api/client";
import type { Format } from "@/queries/format";
import DateInput from "@/ui/DateInput.vue";
import TableEditor from "@/ui/TableEditor.vue";
import { useList } from "@/ui/list";
import { useTableEditor } from "@/ui/tableEditor";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const path = (company: Company) => ({ params: { path: { key: company.key } } });
const table = useTableEditor<Company>({
  blank: () => ({
    key: "",
    name: "",
    country: "",
    currency: "",
    rounding: "half-up",
    calendar: { freeDays: [6, 7], holidays: [] },
  }),
  save: (company) => api.PUT("/companies/{key}", { ...path(company), body: company }),
  remove: (company) => api.DELETE("/companies/{key}", path(company)),
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
  get: () => ways.find((w) => JSON.stringify(w.format) === JSON.stringify(table.draft?.format))?.label ?? "",
  set: (label) => (table.draft!.format = ways.find((w) => w.label === label)?.format),
});

const freeDays = (c: Company) => c.calendar.freeDays.map((d) => days[d - 1]!.slice(0, 3)).join(", ");
const list = useList<Company>(
  () => catalog.catalog?.companies ?? [],
  () => [
    { label: "Key", value: (c) => c.key },
    { label: "Name", value: (c) => c.name },
    { label: "Country", value: (c) => c.country },
    { label: "Currency", value: (c) => c.currency },
    { label: "Rounds", value: (c) => c.rounding.replace("-", " ") },
    { label: "Free days", value: freeDays },
    { label: "Holidays", value: (c) => c.calendar.holidays.length },
  ],
);

function toggleDay(day: number) {
  const free = table.draft!.calendar.freeDays;
  table.draft!.calendar.freeDays = free.includes(day) ? free.filter((d) => d !== day) : [...free, day];
}
</script>

<template>
  <TableEditor
    :table="table"
    title="Companies"
    add="Add a company"
    :list="list"
    :form="table.adding ? 'New company' : `Company ${table.draft?.key}`"
    :form-title="table.adding ? 'New company' : `${table.draft?.key} ${table.draft?.name}`"
  >
    <template #rows>
      <tr v-for="c in list.rows" :key="c.key" :class="{ open: table.draft?.key === c.key }">
        <td>
          <button type="button" class="plain" @click="table.edit(c)">{{ c.key }}</button>
        </td>
        <td class="serif">{{ c.name }}</td>
        <td>{{ c.country }}</td>
        <td>{{ c.currency }}</td>
        <td>{{ c.rounding.replace("-", " ") }}</td>
        <td>{{ freeDays(c) }}</td>
        <td>{{ c.calendar.holidays.length }}</td>
      </tr>
    </template>
    <template v-if="table.draft" #default>
      <div class="fields">
        <label v-if="table.adding"
          ><span class="field-label">Key</span><input v-model.trim="table.draft.key" class="line" required
        /></label>
        <label class="wide"
          ><span class="field-label">Name</span><input v-model="table.draft.name" class="line" required
        /></label>
        <label
          ><span class="field-label">Country</span
          ><input v-model.trim="table.draft.country" class="line" placeholder="Ireland, or IE" required
        /></label>
        <label
          ><span class="field-label">Currency</span
          ><input v-model.trim="table.draft.currency" class="line" placeholder="Euro, or EUR" required
        /></label>
        <label
          ><span class="field-label">Rounds</span>
          <SelectBox
            v-model="table.draft.rounding"
            label="Rounds"
            :options="[
              { value: 'half-up', label: 'half up' },
              { value: 'half-even', label: 'half even' },
            ]"
        /></label>
        <label
          ><span class="field-label">Time zone</span>
          <SelectBox
            v-model="table.draft.timeZone"
            clearable
            placeholder="of the machine"
            label="Time zone"
            :options="zones.map((z) => ({ value: z, label: z }))"
          />
        </label>
        <label class="wide"
          ><span class="field-label">Numbers and dates</span>
          <SelectBox
            v-model="written"
            label="How numbers and dates are written"
            placeholder="as in each person's browser"
            :options="[
              { value: '', label: 'as people\'s browsers do' },
              ...ways.map((w) => ({ value: w.label, label: w.label })),
            ]"
          />
        </label>
      </div>
      <fieldset>
        <legend class="field-label">Non-working days</legend>
        <label v-for="(name, i) in days" :key="name" class="day">
          <input
            type="checkbox"
            :checked="table.draft.calendar.freeDays.includes(i + 1)"
            @change="toggleDay(i + 1)"
          />
          {{ name }}
        </label>
      </fieldset>
      <div class="holidays">
        <span class="field-label">Holidays</span>
        <p v-for="(h, i) in table.draft.calendar.holidays" :key="i">
          <DateInput v-model="h.day" class="date" label="Day of the holiday" required />
          <input v-model="h.name" class="line" aria-label="Name of the holiday" />
          <button
            type="button"
            class="plain"
            aria-label="Remove the holiday"
            @click="table.draft.calendar.holidays.splice(i, 1)"
          >
            ×
          </button>
        </p>
        <button
          type="button"
          class="plain"
          @click="table.draft.calendar.holidays.push({ day: '', name: '' })"
        >
          Add a holiday
        </button>
      </div>
    </template>
  </TableEditor>
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
