<script setup lang="ts" generic="Row">
import { computed } from "vue";
import { useSession } from "@/queries/session";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import type { List } from "@/ui/list";
import TroubleNote from "@/ui/TroubleNote.vue";
import type { TableEditing } from "@/ui/tableEditor";

/**
 * A page of a table: its entries in a list, and below it the form of the one that is being added or changed.
 * The slots are the cells of the list (rows), the form (default), and what stands beside the title (about).
 */
defineProps<{
  table: TableEditing;
  title: string;
  /** What the button says that begins a new entry. */
  add: string;
  list: List<Row>;
  /** The name of the form, and what stands above it. */
  form: string;
  formTitle: string;
  /** What is said where there are no entries. */
  empty?: string;
  /** The form cannot be saved as it stands. */
  unsound?: boolean;
  /** Why the list is not there, and how to ask for it again. */
  problem?: string;
  retry?: () => unknown;
}>();
const session = useSession();
/** Who only looks is not offered to change. */
const mayChange = computed(() => session.may("tables.change") || session.may("setup.change"));
</script>

<template>
  <div class="page-head">
    <h1 :class="{ of: $slots.title }">
      <slot name="title">{{ title }}</slot>
    </h1>
    <span v-if="$slots.about" class="quiet"><slot name="about" /></span>
    <span class="spring" />
    <ListExport :name="title" :list="list" />
    <button v-if="mayChange" type="button" class="button" @click="table.edit()">{{ add }}</button>
  </div>
  <TroubleNote :problem="problem" :retry="retry" />
  <table class="ledger">
    <ListHead :list="list" />
    <tbody>
      <slot name="rows" />
    </tbody>
  </table>
  <p v-if="empty && !problem && !table.draft" class="empty">
    {{ empty }} <button v-if="mayChange" type="button" class="plain" @click="table.edit()">{{ add }}</button>
  </p>
  <form v-if="table.draft" class="edit" :aria-label="form" @submit.prevent="table.save()">
    <h2>{{ formTitle }}</h2>
    <TroubleNote v-bind="table.trouble" />
    <slot />
    <div class="buttons">
      <slot name="buttons" />
      <button v-if="mayChange" type="submit" class="button first" :disabled="table.busy || unsound">
        Save
      </button>
      <button type="button" class="button" @click="table.leave()">Cancel</button>
      <button
        v-if="!table.adding && mayChange"
        type="button"
        class="button"
        :disabled="table.busy"
        @click="table.remove()"
      >
        Delete
      </button>
    </div>
  </form>
</template>
