<script setup lang="ts">
import { recordPlace } from "@/api/address";
import BandSignal from "@/ui/BandSignal.vue";
import { useDebounceFn, useVirtualList } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import ListFilters from "@/features/records/ListFilters.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import StateMark from "@/features/records/StateMark.vue";
import { useListing } from "@/features/records/listing";
import { count, inSentence } from "@/queries/format";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import TroubleNote from "@/ui/TroubleNote.vue";
import { usePlan } from "@/queries/plan";
import { useSession } from "@/queries/session";
import { useGoOn } from "@/ui/goOn";

const session = useSession();
const catalog = useCatalog();
const plan = usePlan();
const route = useRoute();
const router = useRouter();

const kindKey = computed(() => String(route.params.kind ?? "") || (catalog.kind?.kind.key ?? ""));
const entry = computed(() => catalog.entry(kindKey.value));
watch(
  kindKey,
  (key) => {
    if (catalog.entry(key) && plan.scope.kind === "") catalog.chosen = key;
  },
  { immediate: true },
);

const headers = computed(() => entry.value?.kind.fields.filter((f) => !f.key.startsWith("lines.")) ?? []);
/** What a list shows by itself: a few fields that tell records apart at a glance. */
const standard = computed(() => {
  const listed = entry.value?.kind.listed?.filter((key) => headers.value.some((f) => f.key === key));
  if (listed?.length) return listed;
  return headers.value
    .filter((f) => !entry.value?.kind.title.includes(f.key))
    .slice(0, 5)
    .map((f) => f.key);
});
const list = useListing(
  () => kindKey.value,
  () => standard.value,
);

const columns = computed(() =>
  list.columns.flatMap((key) => {
    const field = entry.value?.kind.fields.find((f) => f.key === key);
    return field ? [{ key, label: field.label, right: !!catalog.traits(field.type).right }] : [];
  }),
);

const search = ref("");
watch(
  () => list.selection.search,
  (text) => {
    if ((text ?? "") !== search.value.trim()) search.value = text ?? "";
  },
  { immediate: true },
);
const searching = useDebounceFn(() => list.change({ search: search.value.trim() }), 150);

function sortBy(key: string) {
  const { sort, descending } = list.selection;
  const current = sort ?? "number";
  const down = current === key && !descending;
  list.change({ sort: key === "number" && !down ? "" : key, order: down ? "down" : "" });
}
function sorted(key: string): "ascending" | "descending" | undefined {
  const { sort, descending } = list.selection;
  if ((sort ?? "number") !== key) return undefined;
  return descending ? "descending" : "ascending";
}

async function download() {
  const goOn = going();
  const { text, run } = await list.exported();
  if (run) return goOn(`/runs?run=${run}`);
  if (text === undefined) return;
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "text/csv" }));
  link.download = `${kindKey.value}.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}

// Only the rows in sight are drawn; the scroll bar stands for all of them.
const rowHeight = 29;
const places = computed(() => Array.from({ length: list.total }, (_, i) => i));
const {
  list: drawn,
  containerProps,
  wrapperProps,
} = useVirtualList(places, {
  itemHeight: rowHeight,
  overscan: 10,
});
const box = containerProps.ref;
watch(drawn, (now) => {
  if (now.length) list.show(now[0]!.data, now.at(-1)!.data);
});
watch(
  () => JSON.stringify([kindKey.value, list.selection]),
  () => {
    if (box.value) box.value.scrollTop = 0;
    at.value = 0;
  },
);

// Arrow keys go from row to row, Enter opens one.
const at = ref(0);
function onKey(event: KeyboardEvent) {
  const steps: Record<string, number> = { ArrowDown: 1, ArrowUp: -1, PageDown: 20, PageUp: -20 };
  const step = steps[event.key];
  if (step !== undefined) {
    event.preventDefault();
    at.value = Math.max(0, Math.min(at.value + step, list.total - 1));
    const top = at.value * rowHeight;
    if (box.value && top < box.value.scrollTop) box.value.scrollTop = top;
    if (box.value && top + 2 * rowHeight > box.value.scrollTop + box.value.clientHeight)
      box.value.scrollTop = top + 2 * rowHeight - box.value.clientHeight;
  } else if (event.key === " " && !(event.target as HTMLElement).closest("a, button, input")) {
    event.preventDefault();
    choose(at.value, event.shiftKey);
  } else if (event.key === "Enter" && !(event.target as HTMLElement).closest("a, button, input")) {
    const row = list.rows.get(at.value);
    if (row) void router.push(recordPlace(kindKey.value, row.number));
  }
}

/** The rows that are chosen, by number; none: what is done is done with the whole list. */
const chosen = ref(new Set<string>());
/** The place that was chosen last; with Shift all from there on are. */
let from = 0;
const choosing = useAttempt();
const going = useGoOn();
const mostChosen = 2000;
watch(
  () => JSON.stringify([kindKey.value, list.selection]),
  () => {
    chosen.value = new Set();
    from = 0;
    choosing.forget();
  },
);
function choose(place: number, whole: boolean) {
  const row = list.rows.get(place);
  if (!row) return;
  const next = new Set(chosen.value);
  if (!whole) {
    if (!next.delete(row.number)) next.add(row.number);
    chosen.value = next;
    from = place;
    return;
  }
  const shown = JSON.stringify([kindKey.value, list.selection]);
  void choosing.attempt(async () => {
    if (Math.abs(place - from) >= mostChosen)
      throw new Error(`At most ${count(mostChosen)} rows are chosen at once. Filter the list instead.`);
    const numbers = await list.between(from, place);
    if (JSON.stringify([kindKey.value, list.selection]) !== shown) return;
    chosen.value = new Set([...chosen.value, ...numbers]);
    from = place;
  });
}
/** Where several are chosen, they can be made one; so many are compared side by side. */
const mostMerged = 20;
const mergeLink = computed(() =>
  chosen.value.size > 1 && chosen.value.size <= mostMerged
    ? { path: `/merge/${kindKey.value}`, query: { numbers: [...chosen.value] } }
    : "",
);
const deriveLink = computed(() => ({
  path: `/derive/${kindKey.value}`,
  query: chosen.value.size ? { numbers: [...chosen.value] } : route.query,
}));

const grid = computed(
  () =>
    `18px 108px minmax(150px, 2fr) 118px 110px ${entry.value?.kind.posted ? "82px " : ""}repeat(${columns.value.length}, minmax(84px, 1fr))`,
);
const newLink = computed(() => {
  const query: Record<string, string> = {};
  const only = list.selection;
  if (only.companies?.length === 1) query.company = only.companies[0]!;
  if (only.types?.length === 1) query.type = only.types[0]!;
  return { path: `/records/${kindKey.value}/new`, query };
});
</script>

<template>
  <div class="records">
    <div class="top">
      <h1>
        <SentencePicker
          :value="kindKey"
          label="Kind of record"
          :options="catalog.kindOptions()"
          @change="router.push(`/records/${$event}`)"
        />
      </h1>
      <span class="quiet count" role="status"
        >{{ list.more && !list.whole ? "more than " : "" }}{{ count(list.found)
        }}<template v-if="!list.whole && (list.more || list.found !== list.all)">
          of {{ count(list.all) }}</template
        ><template v-if="list.loading"> …</template></span
      >
      <span class="spring" />
      <input
        v-model="search"
        class="line search"
        type="search"
        placeholder="Number, name, reference"
        aria-label="Search records"
        @input="searching"
      />
      <button v-if="session.may('records.export', kindKey)" type="button" class="button" @click="download">
        Save as CSV
      </button>
      <RouterLink v-if="session.may('rules.read')" class="button" :to="`/breaks/${kindKey}`"
        >Broken checks</RouterLink
      >
      <RouterLink v-if="mergeLink" class="button" :to="mergeLink">Merge {{ count(chosen.size) }}</RouterLink>
      <RouterLink v-else class="button" :to="`/duplicates/${kindKey}`">Duplicates</RouterLink>
      <RouterLink v-if="session.may('records.many', kindKey)" class="button" :to="`/loads?kind=${kindKey}`"
        >Load a file</RouterLink
      >
      <RouterLink v-if="list.total && session.may('records.many', kindKey)" class="button" :to="deriveLink">{{
        chosen.size ? `Derive ${count(chosen.size)} again` : "Derive again"
      }}</RouterLink>
      <RouterLink v-if="session.may('records.change', kindKey)" class="button first" :to="newLink"
        >New {{ inSentence(entry?.kind.label) }}</RouterLink
      >
    </div>
    <ListFilters v-if="entry" :list="list" :entry="entry" />
    <TroubleNote class="padded" :problem="list.problem" :retry="list.retry" />
    <TroubleNote class="padded" v-bind="choosing.trouble" />
    <p v-if="list.loaded && !list.total" class="empty padded">
      <template v-if="list.all"
        >No results.
        <button type="button" class="plain" @click="router.replace(`/records/${kindKey}`)">
          Show all {{ count(list.all) }}
        </button></template
      >
      <template v-else>
        There are no {{ inSentence(entry?.kind.plural) }} yet.
        <RouterLink :to="newLink">Enter the first</RouterLink>.
      </template>
    </p>
    <div
      v-else
      v-bind="containerProps"
      class="box"
      role="grid"
      tabindex="0"
      :aria-rowcount="list.total"
      :aria-label="entry?.kind.plural"
      @keydown="onKey"
      @keypress.space.self.prevent
    >
      <div class="row head" role="row" :style="{ gridTemplateColumns: grid }">
        <div role="columnheader"><span class="visually-hidden">Chosen</span></div>
        <div
          v-for="c in [
            { key: 'number', label: 'Number' },
            { key: entry?.kind.title[0] ?? '', label: 'Name' },
            { key: 'company', label: 'Company' },
            { key: 'type', label: entry?.kind.typeLabel ?? '' },
            ...(entry?.kind.posted ? [{ key: 'state', label: 'State' }] : []),
            ...columns,
          ]"
          :key="c.label + c.key"
          role="columnheader"
          :aria-sort="sorted(c.key)"
          :class="{ right: 'right' in c && c.right }"
        >
          <button type="button" class="plain sort" @click="sortBy(c.key)">
            {{ c.label
            }}<template v-if="sorted(c.key)">{{ sorted(c.key) === "ascending" ? " ↑" : " ↓" }}</template>
          </button>
        </div>
      </div>
      <div v-bind="wrapperProps">
        <div
          v-for="{ data: place, row } in drawn.map((d) => ({ ...d, row: list.rows.get(d.data) }))"
          :key="place"
          class="row"
          role="row"
          :aria-rowindex="place + 1"
          :class="{ at: place === at }"
          :style="{ gridTemplateColumns: grid }"
          @click="row && router.push(recordPlace(kindKey, row.number))"
        >
          <template v-if="row">
            <div role="gridcell">
              <input
                type="checkbox"
                tabindex="-1"
                :checked="chosen.has(row.number)"
                :aria-label="`Choose ${row.number}`"
                @mousedown.shift.prevent
                @click.stop="choose(place, $event.shiftKey)"
              />
            </div>
            <div role="gridcell">
              <RouterLink :to="recordPlace(kindKey, row.number)" @click.stop>{{ row.number }}</RouterLink>
            </div>
            <div role="gridcell" class="title">{{ row.title }}</div>
            <div role="gridcell" :title="catalog.companyName(row.company)">
              {{ catalog.companyName(row.company) }}
            </div>
            <div role="gridcell">{{ catalog.typeName(row.type, kindKey) }}</div>
            <div v-if="entry?.kind.posted" role="gridcell"><StateMark :state="row.state" /></div>
            <div
              v-for="(c, i) in columns"
              :key="c.key"
              role="gridcell"
              :class="{ right: c.right }"
              :title="row.cells[i]"
            >
              {{ row.cells[i] }}
              <BandSignal
                v-for="b in row.bands?.filter((b) => b.column === c.key)"
                :key="b.column"
                :band="b.band"
              />
            </div>
          </template>
        </div>
      </div>
      <p v-if="list.more && !list.loading" class="quiet padded">
        These are the first {{ count(list.total) }}. Narrow the list by words or filters to see the others.
      </p>
    </div>
  </div>
</template>

<style scoped>
.records {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.top {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 10px;
  padding: 10px 20px 0;
  flex: none;
}
.spring {
  flex: 1;
}
.count {
  white-space: nowrap;
}
.search {
  flex: 9 1 150px;
  max-width: 210px;
  min-width: 0;
}
.padded {
  padding: 24px 20px;
}
.box {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
.box:focus-visible {
  outline-offset: -2px;
}
.row {
  display: grid;
  column-gap: 10px;
  padding: 0 20px;
  min-width: 900px;
}
.row > div {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  line-height: 28px;
}
.row:not(.head) {
  height: 29px;
  border-bottom: 1px solid var(--rule);
  cursor: pointer;
}
.row:not(.head):hover {
  background: var(--paper-raised);
}
.box:focus-within .at {
  background: var(--select);
}
.head {
  position: sticky;
  top: 0;
  z-index: 2;
  background: var(--paper);
  border-bottom: 1px solid var(--rule-strong);
}
.sort {
  color: var(--ink-soft);
  font-weight: 500;
  text-decoration: none;
  padding: 0;
}
.right {
  text-align: right;
}
.title {
  font: 15px/28px var(--serif) !important;
}
</style>
