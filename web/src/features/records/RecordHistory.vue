<script setup lang="ts">
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import { api } from "@/api/client";
import { useAsked } from "@/queries/client";
import TroubleNote from "@/ui/TroubleNote.vue";
import { format, moment } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

const props = defineProps<{ kind: string; number: string }>();
const catalog = useCatalog();
const asked = useAsked(
  () => ["record", props.kind, props.number, "history", { ...format }],
  (signal) =>
    api.GET("/records/{kind}/{number}/history", {
      params: { path: { kind: props.kind, number: props.number }, query: { format } },
      signal,
    }),
);
const versions = computed(() => asked.data ?? []);
const few = 6;
const open = ref<string[]>([]);
/** Versions of a record that was merged into this one stand among its own. */
const place = (v: { of?: string; version: number }) => `${v.of ?? ""} ${v.version}`;
</script>

<template>
  <section aria-label="History">
    <h2>History</h2>
    <TroubleNote :problem="asked.problem" :retry="asked.reload" />
    <div v-for="v in versions" :key="place(v)" class="version">
      <p>
        <b>{{ `${v.of ?? ""} ${v.what}`.trim() }}</b><span class="quiet">{{
          ` ${moment(v.changedAt)} ${v.changedBy}`
        }}</span>
      </p>
      <ul v-if="v.version > 1">
        <li
          v-for="c in open.includes(place(v)) ? v.changes : v.changes.slice(0, few)"
          :key="c.field + c.line"
        >
          {{ catalog.label(c.field, c.line, kind) }}: <s v-if="c.before.text">{{ c.before.text }}</s>{{
            c.before.text ? " → " : ""
          }}{{ c.after.text || "blank" }}
        </li>
        <li v-if="v.changes.length > few && !open.includes(place(v))">
          <button type="button" class="plain" @click="open.push(place(v))">
            and {{ v.changes.length - few }} more
          </button>
        </li>
        <li v-if="!v.changes.length" class="quiet">no value changed</li>
      </ul>
      <p v-else class="quiet">with {{ v.changes.length }} values</p>
      <p v-for="r in v.reasons" :key="`${r.rule}/${r.line ?? 0}`" class="quiet">
        <RouterLink :to="`/plan?rule=${r.rule}`">{{ r.name }}</RouterLink>: “{{ r.text }}”, {{ r.by }}
      </p>
    </div>
  </section>
</template>

<style scoped>
h2 {
  font-size: 14px;
  margin: 14px 0 4px;
}
p {
  margin: 0;
}
.version {
  border-top: 1px solid var(--rule);
  padding: 4px 0;
}
ul {
  margin: 0;
  padding-left: 14px;
}
</style>
