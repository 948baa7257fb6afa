<script setup lang="ts">
import { recordPlace } from "@/api/address";
import SelectBox from "@/ui/SelectBox.vue";
import { computed, reactive } from "vue";
import { RouterLink, useRouter } from "vue-router";
import type { FollowOn, RecordView, Use } from "@/api/client";
import { inSentence, moment } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { useFollowOns } from "@/queries/tables";

/** What a record follows, what follows it, and what may follow. */
const props = defineProps<{
  kind: string;
  company: string;
  record?: RecordView;
  origin?: Use;
  /** Records that follow the same one already. */
  earlier: Use[];
  unsaved: boolean;
}>();
const catalog = useCatalog();
const router = useRouter();
const all = useFollowOns();
const maps = computed(() => (all.data ?? []).filter((m) => props.record?.next?.includes(m.id!)));
/** The type of the new record, by map, where the map leaves it to the person. */
const types = reactive<Record<number, string>>({});

function typeOf(map: FollowOn): string {
  return map.type || types[map.id ?? 0] || (catalog.typesIn(props.company, map.to)[0]?.key ?? "");
}
/** What follows by the map's kind already: it is seen before another is made. */
const followers = (map: FollowOn) => (props.record?.followers ?? []).filter((u) => u.what === map.to);
function follow(map: FollowOn) {
  const query = { follow: String(map.id), from: props.record?.number ?? "", type: typeOf(map) };
  void router.push({ path: `/records/${map.to}/new`, query });
}
function named(use: Use): string {
  return `${inSentence(catalog.entry(use.what)?.kind.label) ?? use.what} ${use.key}`;
}
</script>

<template>
  <template
    v-if="
      origin || record?.followers.length || record?.reverses || record?.reversedBy || record?.former?.length
    "
  >
    <h2>Belongs to</h2>
    <p v-for="f in record?.former" :key="f.number">
      took in <RouterLink :to="recordPlace(kind, f.number)">{{ f.number }}</RouterLink>
      <span class="quiet">{{ ` ${moment(f.mergedAt)}, ${f.mergedBy}: ${f.why}, ` }}</span><RouterLink
        class="quiet"
        :to="`/runs?run=${f.run}`"
        >run {{ f.run }}</RouterLink
      >
    </p>
    <p v-if="origin">
      follows <RouterLink :to="recordPlace(origin.what, origin.key)">{{ named(origin) }}</RouterLink>
    </p>
    <p v-for="u in earlier" :key="u.key" class="quiet">
      Already followed by <RouterLink :to="recordPlace(u.what, u.key)">{{ u.key }}</RouterLink>
    </p>
    <p v-for="u in record?.followers" :key="u.key">
      followed by <RouterLink :to="recordPlace(u.what, u.key)">{{ named(u) }}</RouterLink>
    </p>
    <p v-if="record?.reverses">
      reverses <RouterLink :to="recordPlace(kind, record.reverses)">{{ record.reverses }}</RouterLink>
    </p>
    <p v-if="record?.reversedBy">
      reversed by
      <RouterLink :to="recordPlace(kind, record.reversedBy)">{{ record.reversedBy }}</RouterLink>
    </p>
  </template>
  <template v-if="record && record.state !== 'reversed' && record.state !== 'merged' && maps.length">
    <h2>Create next</h2>
    <p v-for="m in maps" :key="m.id" class="follow">
      <span v-if="followers(m).length" class="already quiet">
        Already made:
        <template v-for="(u, i) in followers(m)" :key="u.key"
          ><template v-if="i">, </template
          ><RouterLink :to="recordPlace(u.what, u.key)">{{ u.key }}</RouterLink></template
        >
      </span>
      <button type="button" class="button" :disabled="unsaved" @click="follow(m)">
        {{ followers(m).length ? `${m.name}, once more` : m.name }}
      </button>
      <SelectBox
        v-if="!m.type"
        :model-value="typeOf(m)"
        :label="`Type for ${m.name}`"
        :options="catalog.typesIn(company, m.to).map((t) => ({ value: t.key, label: t.label }))"
        @change="types[m.id ?? 0] = $event"
      />
    </p>
  </template>
</template>

<style scoped>
h2 {
  font-size: 14px;
  margin: 14px 0 4px;
}
p {
  margin: 3px 0;
}
.follow {
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
}
.follow .button {
  white-space: normal;
  text-align: left;
  line-height: 1.25;
}
.already {
  width: 100%;
}
.follow :deep(.el-select) {
  width: 112px;
}
</style>
