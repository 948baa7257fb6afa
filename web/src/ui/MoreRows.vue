<script setup lang="ts">
import type { Pages } from "@/queries/client";

/** Fetches the next page of a list of which the newest, or the first, are shown. */
defineProps<{ pages: Pages<unknown>; what: string; order?: "newest" | "first" }>();
</script>

<template>
  <p v-if="pages.more" class="more">
    The {{ order ?? "newest" }} {{ pages.data?.length }} {{ what }} are shown.
    <button type="button" class="plain" :disabled="pages.loading" @click="pages.next()">Show more</button>
  </p>
</template>

<style scoped>
.more {
  margin: 10px 0;
}
</style>
