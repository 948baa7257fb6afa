<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed } from "vue";
import { api, ask, type Band, type Field } from "@/api/client";
import BandSignal from "@/ui/BandSignal.vue";
import LateInput from "@/ui/LateInput.vue";
import { format } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

/**
 * One scale from the least number to the greatest. A band has only its upper end, and begins where the one
 * before ends, so there can be no gap and no overlap; the button at a boundary says to which side it belongs.
 */
const bands = defineModel<Band[]>({ required: true });
const props = defineProps<{ kind: string; field: Field }>();

const tones: { value: Band["tone"]; label: string }[] = [
  { value: "calm", label: "green" },
  { value: "fair", label: "blue" },
  { value: "watch", label: "ochre" },
  { value: "pressed", label: "brick" },
  { value: "plain", label: "grey" },
];
const shapes: Band["shape"][] = ["round", "square", "triangle", "diamond", "bar"];

function change(i: number, next: Partial<Band>) {
  bands.value = bands.value.map((b, j) => (i === j ? { ...b, ...next } : b));
}
function split(i: number) {
  const free = (used: string[], all: string[]) => all.find((x) => !used.includes(x)) ?? all[0]!;
  const next: Band = {
    label: "",
    until: "",
    including: false,
    tone: free(
      bands.value.map((b) => b.tone),
      tones.map((t) => t.value),
    ) as Band["tone"],
    shape: free(
      bands.value.map((b) => b.shape),
      shapes,
    ) as Band["shape"],
  };
  const all = [...bands.value];
  all.splice(i + 1, 0, { ...next, until: all[i]?.until ?? "", including: all[i]?.including ?? false });
  if (all[i]) all[i] = { ...all[i]!, until: "", including: false };
  bands.value = all;
}
/** The band above takes over what the removed one held. */
function remove(i: number) {
  const all = bands.value.filter((_, j) => j !== i);
  if (i === bands.value.length - 1 && all.length)
    all[all.length - 1] = { ...all[all.length - 1]!, until: "" };
  bands.value = all;
}

const percent = computed(() => !!useCatalog().traits(props.field.type).share);
/** A boundary as people write it: a percent is kept as its share. */
function shown(until: string): string {
  return percent.value && until !== "" ? `${shift(until, 2)} %` : until;
}
/** Moves the decimal point without a detour over binary fractions. */
function shift(text: string, places: number): string {
  const parts = /^(-?)(\d*)\.?(\d*)$/.exec(text.trim());
  if (!parts) return text;
  const digits = parts[2]! + parts[3]!.padEnd(places, "0");
  const at = parts[2]!.length + places;
  const whole = digits.slice(0, at).replace(/^0+(?=\d)/, "") || "0";
  const rest = digits.slice(at).replace(/0+$/, "");
  return parts[1]! + whole + (rest && `.${rest}`);
}
async function write(i: number, typed: string) {
  if (!typed.trim()) return change(i, { until: "" });
  const band = bands.value[i]!;
  const count = bands.value.length;
  const body = { kind: props.kind, target: props.field.key, text: typed, format };
  const until = await ask(api.POST("/constants", { body }))
    .then((answer) => answer.formula)
    .catch(() => typed); // the rule tells what is wrong with it
  // Meanwhile bands may have been removed; this one may have been changed or split, and is where it was.
  const now = bands.value.indexOf(band);
  if (now >= 0 || bands.value.length >= count) change(now >= 0 ? now : i, { until });
}
</script>

<template>
  <div class="scale" role="group" :aria-label="`Bands of ${field.label}`">
    <template v-for="(b, i) in bands" :key="i">
      <div class="band">
        <BandSignal :band="b" bare />
        <input
          class="line"
          :value="b.label"
          :aria-label="`Name of band ${i + 1}`"
          placeholder="name"
          @input="change(i, { label: ($event.target as HTMLInputElement).value })"
        />
        <SelectBox
          :model-value="b.tone"
          :label="`Colour of band ${i + 1}`"
          :options="tones.map((t) => ({ value: t.value, label: t.label }))"
          @change="change(i, { tone: $event as Band['tone'] })"
        />
        <SelectBox
          :model-value="b.shape"
          :label="`Shape of band ${i + 1}`"
          :options="shapes.map((s) => ({ value: s, label: s }))"
          @change="change(i, { shape: $event as Band['shape'] })"
        />
        <button
          type="button"
          class="plain"
          :aria-label="`Remove band ${i + 1}`"
          :disabled="bands.length <= 2"
          @click="remove(i)"
        >
          ×
        </button>
      </div>
      <div v-if="i < bands.length - 1" class="boundary">
        <button
          type="button"
          class="plain side"
          :aria-label="`${shown(b.until) || 'The boundary'} belongs to ${b.including ? b.label || 'the band before' : bands[i + 1]!.label || 'the band after'}; change the side`"
          @click="change(i, { including: !b.including })"
        >
          {{ b.including ? "▲" : "▼" }}
        </button>
        <span>{{ b.including ? "up to and with" : "under" }}</span>
        <LateInput :value="shown(b.until)" :aria-label="`End of band ${i + 1}`" @take="write(i, $event)" />
        <span class="quiet">{{ b.including ? "over it" : "from it on" }}</span>
        <button type="button" class="plain" @click="split(i)">Split</button>
      </div>
    </template>
    <button type="button" class="plain" @click="split(bands.length - 1)">Add a band at the end</button>
  </div>
</template>

<style scoped>
.scale {
  border-left: 2px solid var(--hue);
  padding-left: 10px;
}
.band,
.boundary {
  display: grid;
  grid-template-columns: 14px minmax(0, 1fr) 76px 84px 22px;
  gap: 6px;
  align-items: center;
  padding: 2px 0;
}
.boundary {
  grid-template-columns: 22px auto 84px 1fr auto;
  border-top: 1px solid var(--rule);
  border-bottom: 1px solid var(--rule);
  background: var(--paper-sunk);
  font-size: 12px;
}
.side {
  text-decoration: none;
  color: var(--hue);
}
input.line {
  padding: 3px 5px;
}
</style>
