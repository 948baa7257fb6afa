<script setup lang="ts">
import { computed, reactive, ref } from "vue";
import PermissionBoxes from "@/features/people/PermissionBoxes.vue";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { moment, written } from "@/queries/format";
import { addKey, revokeKey, useKeys, type ProgramKey } from "@/queries/people";
import { useSession } from "@/queries/session";
import DateInput from "@/ui/DateInput.vue";
import { useList } from "@/ui/list";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** Keys by which programs are known. */
const session = useSession();
const catalog = useCatalog();
const keys = useKeys();
const tried = useAttempt();
const making = ref(false);
const token = ref("");
const copied = ref(false);
const given = reactive({
  name: "",
  permissions: [] as string[],
  kinds: [] as string[],
  companies: [] as string[],
  ends: "",
});
const mine = computed(() => session.state?.permissions ?? []);
function begin() {
  const end = new Date();
  end.setMonth(end.getMonth() + 3);
  Object.assign(given, {
    name: "",
    permissions: [],
    kinds: [],
    companies: [],
    ends: end.toISOString().slice(0, 10),
  });
  token.value = "";
  making.value = true;
}
async function make() {
  const done = await tried.attempt(async () => {
    const added = await addKey({ ...given, everywhere: session.everywhere && !given.companies.length });
    token.value = added.token;
    copied.value = false;
  });
  if (done) making.value = false;
}
async function copy() {
  await navigator.clipboard.writeText(token.value);
  copied.value = true;
}
const state = (k: ProgramKey) => (k.revoked ? "Revoked" : k.ended ? "Ended" : "");
const title = (key: string) => mine.value.find((p) => p.key === key)?.title ?? key;
const may = (k: ProgramKey) => k.permissions.map(title).join(", ");
const within = (k: ProgramKey) =>
  k.everywhere ? "All companies" : k.companies.map(catalog.companyName).join(", ");
const list = useList<ProgramKey>(
  () => keys.data ?? [],
  () => [
    { label: "Name", value: (k) => k.name },
    { label: "Of", value: (k) => k.ownerName },
    { label: "May", value: may },
    { label: "In", value: within },
    { label: "Until", value: (k) => k.ends },
    { label: "Last used", value: (k) => k.used ?? "" },
    { label: "State", fileOnly: true, value: state },
  ],
);
</script>

<template>
  <section aria-label="Keys of programs">
    <h2>Keys of programs</h2>
    <p class="quiet">
      A program sends its key with every request, as <code>Authorization: Bearer …</code>. What can be asked
      stands in <a href="/api" target="_blank">the contract</a>.
    </p>
    <TroubleNote :problem="keys.problem" :retry="keys.reload" />
    <div v-if="token" class="token" role="status">
      <p>The key is made. It is shown only now; put it where the program finds it.</p>
      <code>{{ token }}</code>
      <button type="button" class="button" @click="copy">{{ copied ? "Copied" : "Copy" }}</button>
    </div>
    <p class="export"><ListExport name="Keys of programs" :list="list" /></p>
    <table v-if="keys.data?.length" class="ledger">
      <ListHead :list="list">
        <th><span class="visually-hidden">Revoke</span></th>
      </ListHead>
      <tbody>
        <tr v-for="k in list.rows" :key="k.id" :class="{ quiet: k.revoked || k.ended }">
          <td>{{ k.name }}</td>
          <td>{{ k.ownerName }}</td>
          <td>{{ may(k) }}</td>
          <td>{{ within(k) }}</td>
          <td>{{ written(k.ends) }}</td>
          <td>{{ k.used ? moment(k.used) : "Never" }}</td>
          <td>
            <span v-if="state(k)">{{ state(k) }}</span>
            <button v-else type="button" class="plain" @click="tried.attempt(() => revokeKey(k.id))">
              Revoke
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <form v-if="making" class="making" @submit.prevent="make">
      <label>
        <span class="field-label">Name of the program</span>
        <input v-model="given.name" class="line" required />
      </label>
      <div class="labelled">
        <span class="field-label">Companies</span>
        <SelectBox
          v-model="given.companies"
          multiple
          label="Companies"
          :placeholder="session.everywhere ? 'all companies' : 'choose'"
          :options="catalog.companyOptions"
        />
      </div>
      <label>
        <span class="field-label">Until</span>
        <DateInput v-model="given.ends" label="Until" />
      </label>
      <PermissionBoxes
        :permissions="mine"
        :held="given.permissions"
        :kinds="given.kinds"
        @held="given.permissions = $event"
        @kinds="given.kinds = $event"
      />
      <div class="buttons">
        <button type="submit" class="button first" :disabled="tried.busy">Make the key</button>
        <button type="button" class="button" @click="making = false">Cancel</button>
      </div>
    </form>
    <button v-else-if="session.person?.signInName" type="button" class="button" @click="begin">
      New key
    </button>
    <TroubleNote v-bind="tried.trouble" />
  </section>
</template>

<style scoped>
.export {
  text-align: right;
  margin: 0 0 4px;
}
.token {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: center;
  padding: 10px 14px;
  margin: 8px 0;
  background: var(--paper-raised);
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
}
.token p {
  flex: 1 0 100%;
  margin: 0;
}
.making {
  display: flex;
  flex-wrap: wrap;
  gap: 14px;
  align-items: end;
  margin-top: 12px;
}
.making > label,
.making > .labelled {
  flex: 0 0 230px;
}
.buttons {
  flex: 1 0 100%;
  display: flex;
  gap: 8px;
}
section > .button {
  margin-top: 10px;
}
</style>
