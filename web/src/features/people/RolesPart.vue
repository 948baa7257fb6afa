<script setup lang="ts">
import { nextTick, reactive, ref, useTemplateRef } from "vue";
import type { Schemas } from "@/api/client";
import PermissionBoxes from "@/features/people/PermissionBoxes.vue";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { removeRole, saveRole, type Role } from "@/queries/people";
import { useSession } from "@/queries/session";
import { useList } from "@/ui/list";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** Roles: what somebody may do, under a name. */
const props = defineProps<{ roles: Role[]; permissions: Schemas["PermissionTold"][] }>();
const session = useSession();
const catalog = useCatalog();
const tried = useAttempt();
const open = ref<string>();
const form = useTemplateRef("form");
const given = reactive({ name: "", permissions: [] as string[], kinds: [] as string[], version: 0 });
function edit(role?: Role) {
  tried.forget();
  open.value = role?.key ?? "";
  Object.assign(given, {
    name: role?.name ?? "",
    permissions: [...(role?.permissions ?? [])],
    kinds: [...(role?.kinds ?? [])],
    version: role?.version ?? 0,
  });
  void nextTick(() => form.value?.scrollIntoView({ block: "nearest" }));
}
/** The key of a new role is its name in plain small letters. */
function keyOf(name: string): string {
  const key = name
    .normalize("NFD")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 30);
  const taken = (k: string) => props.roles.some((r) => r.key === k);
  let next = key || "role";
  for (let n = 2; taken(next); n++) next = `${key || "role"}-${n}`;
  return next;
}
async function save() {
  const saved = open.value;
  // Another role that was opened meanwhile stays open.
  if (
    (await tried.attempt(() => saveRole(open.value || keyOf(given.name), { ...given }))) &&
    open.value === saved
  )
    open.value = undefined;
}
async function remove(role: Role) {
  if ((await tried.attempt(() => removeRole(role.key))) && open.value === role.key) open.value = undefined;
}
const titles = (role: Role) =>
  props.permissions
    .filter((p) => role.permissions.includes(p.key))
    .map((p) => p.title)
    .join(", ");
const kindsOf = (role: Role) => role.kinds.map((k) => catalog.entry(k)?.kind.plural ?? k).join(", ") || "All";
const list = useList<Role>(
  () => props.roles,
  () => [
    { label: "Role", value: (r) => r.name },
    { label: "May", value: titles },
    { label: "Kinds", value: kindsOf },
    { label: "Persons", right: true, value: (r) => r.persons },
  ],
);
</script>

<template>
  <section aria-label="Roles">
    <div class="page-head">
      <h2>Roles</h2>
      <span class="spring" />
      <ListExport name="Roles" :list="list" />
      <button v-if="session.everywhere" type="button" class="button" @click="edit()">New role</button>
    </div>
    <table class="ledger">
      <ListHead :list="list" />
      <tbody>
        <tr v-for="r in list.rows" :key="r.key">
          <td class="name">
            <button v-if="session.everywhere" type="button" class="plain" @click="edit(r)">
              {{ r.name }}
            </button>
            <template v-else>{{ r.name }}</template>
          </td>
          <td>{{ titles(r) }}</td>
          <td>{{ kindsOf(r) }}</td>
          <td class="right">{{ r.persons }}</td>
        </tr>
      </tbody>
    </table>
    <form
      v-if="open !== undefined"
      ref="form"
      class="editing"
      :aria-label="given.name || 'New role'"
      @submit.prevent="save"
    >
      <label>
        <span class="field-label">Name of the role</span>
        <input v-model="given.name" class="line" required autofocus />
      </label>
      <PermissionBoxes
        :permissions="permissions"
        :held="given.permissions"
        :kinds="given.kinds"
        @held="given.permissions = $event"
        @kinds="given.kinds = $event"
      />
      <TroubleNote v-bind="tried.trouble" />
      <div class="buttons">
        <button type="submit" class="button first" :disabled="tried.busy">Save role</button>
        <button type="button" class="button" @click="open = undefined">Cancel</button>
        <span class="spring" />
        <button v-if="open" type="button" class="plain" @click="remove(roles.find((r) => r.key === open)!)">
          Remove role
        </button>
      </div>
    </form>
    <TroubleNote v-else v-bind="tried.trouble" />
  </section>
</template>

<style scoped>
section {
  margin-top: 28px;
}
.spring {
  flex: 1;
}
.name {
  white-space: nowrap;
}
.editing {
  display: flex;
  flex-wrap: wrap;
  gap: 14px;
  align-items: start;
  padding: 14px 16px;
  margin-top: 12px;
  background: var(--paper-raised);
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
}
.editing > label {
  flex: 0 0 240px;
}
.buttons {
  flex: 1 0 100%;
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>
