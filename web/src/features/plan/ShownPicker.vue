<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import { beginCodicil, shownInWords, useCodicils, useShown } from "@/queries/codicils";
import { useCatalog } from "@/queries/catalog";
import { dayInWords } from "@/queries/format";
import { useSession } from "@/queries/session";
import { useAttempt } from "@/queries/attempt";
import DateInput from "@/ui/DateInput.vue";
import OverSheet from "@/ui/OverSheet.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** By which rules the plan shows: those in force, those with a codicil, or those of a day. */
const shown = useShown();
const catalog = useCatalog();
const session = useSession();
const prepared = useCodicils(() => ["open", "submitted", "agreed"]);
const mayBegin = computed(() =>
  (["rules.change", "tables.change", "setup.change"] as const).some((p) => session.may(p)),
);
const options = computed(() => [
  { value: "force", label: "as in force" },
  ...(prepared.data?.codicils ?? [])
    .filter((c) => c.id !== shown.codicil)
    .map((c) => ({ value: `codicil-${c.id}`, label: `with codicil ${c.id}, ${c.title}` })),
  ...(shown.rules ? [{ value: shown.rules, label: shownInWords(shown.rules) }] : []),
  ...(mayBegin.value ? [{ value: "begin", label: "with a new codicil…" }] : []),
  { value: "day", label: "as it was on…" },
]);
const asks = ref<"" | "begin" | "day">("");
const title = ref("");
const day = ref("");
const tried = useAttempt();
const titleInput = ref<HTMLInputElement>();
function choose(value: string) {
  if (value !== "begin" && value !== "day") return shown.show(value === "force" ? "" : value);
  asks.value = value;
  title.value = day.value = "";
  tried.forget();
  void nextTick(() => titleInput.value?.focus());
}
async function go() {
  await tried.attempt(async () => {
    if (asks.value === "begin") {
      const made = await beginCodicil({ title: title.value });
      shown.show(`codicil-${made.id}`);
    } else if (day.value) {
      if (day.value >= (catalog.catalog?.today ?? ""))
        throw new Error(`${dayInWords(day.value)} is not over yet: choose a day before today.`);
      shown.show(day.value);
    }
    asks.value = "";
  });
}
</script>

<template>
  <span class="by-rules">
    <SentencePicker
      :value="shown.rules || 'force'"
      label="By which rules"
      :options="options"
      @change="choose"
    />
    <!-- It stands in a heading, where no sheet can be. -->
    <Teleport to="body">
      <OverSheet
        v-if="asks"
        :label="asks === 'begin' ? 'A new codicil' : 'As it was on a day'"
        @close="asks = ''"
      >
        <form class="ask" @submit.prevent="go">
          <h2>{{ asks === "begin" ? "A new codicil" : "As it was on a day" }}</h2>
          <label v-if="asks === 'begin'">
            <span class="field-label">What is it about?</span>
            <input ref="titleInput" v-model="title" class="line" maxlength="200" required />
          </label>
          <p v-else>
            <span class="field-label">The rules as they were at the end of</span>
            <DateInput v-model="day" label="Day" />
          </p>
          <TroubleNote v-bind="tried.trouble" />
          <button
            type="submit"
            class="button first"
            :disabled="tried.busy || (asks === 'begin' ? !title.trim() : !day)"
          >
            {{ asks === "begin" ? "Begin, and work with it" : "Show" }}
          </button>
        </form>
      </OverSheet>
    </Teleport>
  </span>
</template>

<style scoped>
.by-rules :deep(.in-sentence .el-select__placeholder) {
  font-size: 15px;
}
.ask h2 {
  margin: 0;
}
.ask {
  display: grid;
  gap: 12px;
  justify-items: start;
  min-width: 360px;
}
.ask input {
  width: 340px;
}
</style>
