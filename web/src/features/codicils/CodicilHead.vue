<script setup lang="ts">
import { reactive, ref } from "vue";
import type { Codicil } from "@/api/client";
import { useAttempt } from "@/queries/attempt";
import { changeCodicil } from "@/queries/codicils";
import DateInput from "@/ui/DateInput.vue";
import LateInput from "@/ui/LateInput.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** What a codicil says of itself: title, reason, when it comes into force, texts that are filed with it. */
const props = defineProps<{ codicil: Codicil }>();
const emit = defineEmits<{ close: [] }>();
const tried = useAttempt();
const two = (n: number) => String(n).padStart(2, "0");
const at = props.codicil.effective ? new Date(props.codicil.effective) : undefined;
const head = reactive({
  title: props.codicil.title,
  askedBy: props.codicil.askedBy ?? "",
  reason: props.codicil.reason ?? "",
  day: at ? `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}` : "",
  time: at ? `${two(at.getHours())}:${two(at.getMinutes())}` : "",
  texts: props.codicil.texts.map((t) => ({ ...t })),
});
const timed = ref("");
/** Reads a time as people write it: 6, 6:30, 0630. */
function takeTime(text: string) {
  const found = /^(\d{1,2})[:.h]?(\d{2})?$/.exec(text.trim());
  const [hours, minutes] = [Number(found?.[1] ?? 99), Number(found?.[2] ?? 0)];
  const known = hours < 24 && minutes < 60;
  timed.value = known || !text.trim() ? "" : text;
  head.time = known ? `${two(hours)}:${two(minutes)}` : "";
}
async function save() {
  const done = await tried.attempt(async () => {
    if (timed.value) throw new Error(`“${timed.value}” is no time: write it as 06:00.`);
    const { title, askedBy, reason, texts } = head;
    const effective = head.day ? new Date(`${head.day}T${head.time || "00:00"}`).toISOString() : undefined;
    const filed = texts.filter((t) => t.title.trim() || t.text.trim());
    await changeCodicil(props.codicil.id, {
      version: props.codicil.version,
      title,
      askedBy,
      reason,
      texts: filed,
      effective,
    });
  });
  if (done) emit("close");
}
</script>

<template>
  <form class="edit" aria-label="What the codicil says" @submit.prevent="save" @keydown.esc="emit('close')">
    <div class="fields">
      <label class="wide">
        <span class="field-label">Title</span>
        <input v-model="head.title" class="line" required maxlength="200" />
      </label>
      <label>
        <span class="field-label">Asked for by</span>
        <input v-model="head.askedBy" class="line" maxlength="200" />
      </label>
      <label class="wide">
        <span class="field-label">Reason</span>
        <textarea v-model="head.reason" class="line" rows="2" maxlength="5000" />
      </label>
      <div>
        <span class="field-label">Comes into force on</span>
        <DateInput v-model="head.day" label="Comes into force on" />
      </div>
      <label>
        <span class="field-label">At, by the time of this browser</span>
        <LateInput :value="timed || head.time" :disabled="!head.day" placeholder="00:00" @take="takeTime" />
      </label>
    </div>
    <div v-for="(t, i) in head.texts" :key="i" class="filed">
      <input
        v-model="t.title"
        class="line"
        maxlength="200"
        :aria-label="`Title of text ${i + 1}`"
        placeholder="Title"
      />
      <textarea v-model="t.text" class="line" rows="3" maxlength="20000" :aria-label="`Text ${i + 1}`" />
      <button type="button" class="plain" @click="head.texts.splice(i, 1)">Remove</button>
    </div>
    <TroubleNote v-bind="tried.trouble" />
    <div class="buttons">
      <button type="submit" class="button first" :disabled="tried.busy || !head.title.trim()">Save</button>
      <button type="button" class="button" @click="head.texts.push({ title: '', text: '' })">
        Add a text
      </button>
      <button type="button" class="button" @click="emit('close')">Cancel</button>
    </div>
  </form>
</template>

<style scoped>
.filed {
  display: grid;
  grid-template-columns: 220px 1fr max-content;
  gap: 8px;
  margin: 8px 0;
  align-items: start;
}
</style>
