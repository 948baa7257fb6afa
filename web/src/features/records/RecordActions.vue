<script setup lang="ts">
import DateInput from "@/ui/DateInput.vue";
import { computed, ref, watch } from "vue";
import { RouterLink } from "vue-router";
import type { RecordView } from "@/api/client";
import { moment } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { useSession } from "@/queries/session";

const session = useSession();
/** Actions with a record; what cannot be undone is asked for once more. */
const props = defineProps<{
  record?: RecordView;
  number: string;
  /** That of the record. */
  kind: string;
  isNew: boolean;
  /** Records of this kind are posted. */
  posted: boolean;
  readonly: boolean;
  dirty: boolean;
  /** The rules make other values of it now than those that are stored. */
  outdated?: boolean;
  busy: boolean;
}>();
const emit = defineEmits<{
  save: [];
  post: [];
  reverse: [day: string];
  remove: [];
  blank: [];
  giveUp: [];
  plan: [];
}>();
const catalog = useCatalog();
const personal = computed(() => catalog.entry(props.kind)?.kind.fields.some((f) => f.personal));
const asking = ref<"" | "reverse" | "delete">("");
const reverseOn = ref("");

// What was asked for is done or refused, or another record is open.
watch(
  () => [props.number, props.busy],
  () => (asking.value = ""),
);
</script>

<template>
  <div class="actions">
    <template v-if="asking === 'reverse'">
      <span class="say">A reversing document cancels {{ number }} back.</span>
      <label>Posted on <DateInput v-model="reverseOn" label="Day of the reversal" /></label>
      <button
        type="button"
        class="button first"
        :disabled="busy || !reverseOn"
        @click="emit('reverse', reverseOn)"
      >
        Reverse it
      </button>
      <button type="button" class="button" @click="asking = ''">Cancel</button>
    </template>
    <template v-else-if="asking === 'delete'">
      <span class="say">Delete {{ number }} {{ record?.title }}?</span>
      <button type="button" class="button first" :disabled="busy" @click="emit('remove')">Delete it</button>
      <button type="button" class="button" @click="asking = ''">Cancel</button>
    </template>
    <template v-else>
      <template v-if="dirty">
        <span class="say quiet">Not saved yet.</span>
        <button type="button" class="plain" :disabled="busy" @click="emit('giveUp')">
          {{ isNew ? "Start over" : "Discard changes" }}
        </button>
      </template>
      <span v-else-if="outdated" class="say quiet"
        >The rules now give different values; saving stores them.</span
      >
      <span v-else-if="record" class="quiet"
        >Version {{ record.version }}, {{ moment(record.changedAt)
        }}{{ record.changedBy && ` by ${record.changedBy}` }}</span
      >
      <span class="spring" />
      <button
        v-if="
          personal &&
          !isNew &&
          (!record || record.state === 'kept') &&
          session.may('personal.blank') &&
          session.everywhere
        "
        type="button"
        class="plain"
        :disabled="busy || dirty"
        @click="emit('blank')"
      >
        Blank personal values
      </button>
      <button
        v-if="!readonly && session.may('rules.read')"
        type="button"
        class="button"
        @click="emit('plan')"
      >
        Open on the plan
      </button>
      <RouterLink
        v-if="readonly && !record?.mergedInto && session.may('ledger.read')"
        class="button"
        :to="`/ledger/${encodeURIComponent(number)}?ledger=books`"
        >Open the posting</RouterLink
      >
      <button
        v-if="record?.state === 'kept' && session.may('records.change', kind)"
        type="button"
        class="button"
        :disabled="busy"
        @click="asking = 'delete'"
      >
        Delete
      </button>
      <button
        v-if="record?.state === 'posted' && !record.reverses && session.may('records.post', kind)"
        type="button"
        class="button"
        @click="((asking = 'reverse'), (reverseOn = catalog.catalog?.today ?? ''))"
      >
        Reverse
      </button>
      <template v-if="!readonly">
        <button
          v-if="session.may('records.change', kind)"
          type="button"
          class="button"
          :class="{ first: !posted }"
          title="Ctrl S"
          :disabled="busy || (!dirty && !isNew && !outdated)"
          @click="emit('save')"
        >
          Save
        </button>
        <button
          v-if="posted && session.may('records.post', kind)"
          type="button"
          class="button first"
          title="Ctrl Enter"
          :disabled="busy"
          @click="emit('post')"
        >
          Post
        </button>
      </template>
    </template>
  </div>
</template>

<style scoped>
.actions {
  flex: none;
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 9px 20px 8px;
  border-top: 1px solid var(--rule-strong);
  background: var(--paper-raised);
}
.spring {
  flex: 1;
}
.say {
  font: 15px/1.35 var(--serif);
}
.day {
  width: 150px;
}
</style>
