<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import type { Message } from "@/api/client";
import SeverityMark from "@/ui/SeverityMark.vue";
import { moment } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

const props = defineProps<{
  messages: Message[];
  kind: string;
  reasons: Record<string, string>;
  /** Who reads it keys records, and cannot mend rules: of a rule that failed it is told whom to ask. */
  keyed?: boolean;
}>();
const emit = defineEmits<{
  point: [field: string, line?: number];
  reason: [rule: number | undefined, reason: string];
}>();
const catalog = useCatalog();
function textOf(m: Message): string {
  if (!props.keyed || m.code !== "failed" || !m.rule) return m.text;
  return `A rule could not work this out from what is entered. Ask ${m.ask || "whoever keeps the rules"}, and name rule ${m.rule}.`;
}
/** The messages, worst first; each keeps its place on the screen while others come and go, with what is typed in it. */
const sorted = computed(() => {
  const rank = { refuse: 0, confirm: 1, advise: 2 };
  const times = new Map<string, number>();
  return [...props.messages]
    .sort((a, b) => rank[a.severity] - rank[b.severity])
    .map((m) => {
      const of = [m.code, m.rule, m.field, m.line].join("/");
      times.set(of, (times.get(of) ?? 0) + 1);
      return { ...m, key: `${of}/${times.get(of)}` };
    });
});
/** What is being typed, until it is left: an answer that comes meanwhile draws the list anew. */
const typed = ref<Record<string, string>>({});
function say(m: Message & { key: string }, text: string) {
  delete typed.value[m.key];
  emit("reason", m.rule, text);
}
</script>

<template>
  <ul class="messages" aria-live="polite">
    <li v-for="m in sorted" :key="m.key" :class="m.severity">
      <SeverityMark :severity="m.severity" />
      <button type="button" class="plain" @click="emit('point', m.field, m.line)">
        {{
          m.label ? (m.line ? `${m.label} in line ${m.line}` : m.label) : catalog.label(m.field, m.line, kind)
        }}
      </button>
      <span class="text"
        >{{ textOf(m) }}
        <template v-for="(r, i) in m.records" :key="r.key"
          >{{ i ? ", " : ""
          }}<RouterLink :to="recordPlace(r.what, r.key)" class="plain named"
            >{{ r.key }} {{ r.title }}</RouterLink
          ></template
        ></span
      >
      <span v-if="m.given" class="quiet"
        >“{{ m.given.text }}”, {{ m.given.by }}, {{ moment(m.given.at) }}</span
      >
      <label v-else-if="m.severity === 'confirm'" class="reason">
        Reason
        <input
          class="line"
          :value="typed[m.key] ?? m.reason ?? reasons[String(m.rule)] ?? ''"
          @input="typed[m.key] = ($event.target as HTMLInputElement).value"
          @change="say(m, ($event.target as HTMLInputElement).value)"
        />
      </label>
    </li>
  </ul>
</template>

<style scoped>
.messages {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding: 1px 0;
}
.confirm {
  grid-column: 1 / -1;
  align-items: center;
}
.refuse {
  color: var(--refused);
}
.plain {
  font-weight: 600;
  white-space: nowrap;
}
.named {
  padding: 0;
  white-space: normal;
}
.reason {
  display: flex;
  align-items: center;
  gap: 6px;
  color: var(--ink-soft);
}
.reason input {
  width: 220px;
  padding: 2px 6px;
}
</style>
