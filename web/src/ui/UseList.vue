<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { RouterLink } from "vue-router";
import type { Use } from "@/api/client";
import { inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

defineProps<{ uses: Use[]; count?: number }>();
const catalog = useCatalog();

function link(use: Use): string {
  if (catalog.entry(use.what)) return recordPlace(use.what, use.key);
  const screens: Record<string, string> = {
    rule: `/plan?rule=${use.key}`,
    proof: `/proofs?proof=${use.key}`,
    posting: `/ledger/${encodeURIComponent(use.key)}`,
    run: `/runs?run=${use.key}`,
    map: "/tables/maps",
    layout: "/tables/layouts",
    type: "/tables/types",
  };
  return screens[use.what] ?? "/plan";
}
</script>

<template>
  <ul class="uses">
    <li v-for="u in uses" :key="u.what + u.key">
      <span class="quiet">{{ inSentence(catalog.entry(u.what)?.kind.label) ?? u.what }}</span>
      <RouterLink :to="link(u)">{{ u.key }} {{ u.title }}</RouterLink>
    </li>
    <li v-if="count && count > uses.length" class="quiet">and {{ count - uses.length }} more</li>
  </ul>
</template>

<style scoped>
.uses {
  margin: 2px 0 8px;
  padding: 0 0 0 14px;
}
.quiet {
  margin-right: 6px;
}
</style>
