<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "@/api/client";

/** Who else is at a rule or a record. */
const props = defineProps<{ people: Schemas["PresentPerson"][] }>();
const told = computed(() => {
  const others = props.people.filter((p) => !p.self);
  const changing = [...new Set(others.filter((p) => p.changing).map((p) => p.name))];
  const here = [...new Set(others.map((p) => p.name))].filter((n) => !changing.includes(n));
  const all: { text: string; changing: boolean }[] = [];
  if (changing.length)
    all.push({
      text: `${named(changing)} ${changing.length === 1 ? "is" : "are"} changing this`,
      changing: true,
    });
  if (here.length)
    all.push({ text: `${named(here)} ${here.length === 1 ? "is" : "are"} here too`, changing: false });
  if (props.people.some((p) => p.self && p.changing))
    all.push({ text: "You are changing this in another tab", changing: true });
  return all;
});
function named(names: string[]): string {
  if (names.length > 2) return `${names[0]} and ${names.length - 1} others`;
  return names.join(" and ");
}
</script>

<template>
  <span v-if="told.length" class="present" role="status">
    <span v-for="t in told" :key="t.text" :class="{ changing: t.changing }">{{ t.text }}</span>
  </span>
</template>

<style scoped>
.present {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  font-size: 12px;
  color: var(--ink-soft);
}
.present > span::before {
  content: "";
  display: inline-block;
  width: 7px;
  height: 7px;
  margin-right: 6px;
  border: 1.5px solid currentcolor;
  border-radius: 50%;
}
.present .changing {
  color: var(--ink);
}
.present .changing::before {
  background: var(--validate);
  border-color: var(--validate);
}
</style>
