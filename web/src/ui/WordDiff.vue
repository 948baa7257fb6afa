<script setup lang="ts">
import { diffWordsWithSpace } from "diff";
import { computed } from "vue";

/** A text as it was and as it became, with the words that differ marked. */
const props = defineProps<{ before: string; after: string; mono?: boolean }>();
const parts = computed(() => diffWordsWithSpace(props.before, props.after));
</script>

<template>
  <component :is="mono ? 'code' : 'span'" class="words"
    ><template v-for="(p, i) in parts" :key="i"
      ><del v-if="p.removed">{{ p.value }}</del
      ><ins v-else-if="p.added">{{ p.value }}</ins
      ><template v-else>{{ p.value }}</template></template
    ></component
  >
</template>

<style scoped>
.words {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
del {
  color: var(--refused);
  text-decoration: line-through;
}
ins {
  color: var(--good);
  text-decoration: underline;
  text-underline-offset: 3px;
}
</style>
