<script setup lang="ts">
import { computed, reactive, ref } from "vue";
import RolesPart from "@/features/people/RolesPart.vue";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { addPerson, changePerson, resetPerson, usePersons, useRoles, type Person } from "@/queries/people";
import { moment } from "@/queries/format";
import { useSession } from "@/queries/session";
import { useList } from "@/ui/list";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import OverSheet from "@/ui/OverSheet.vue";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** Who may sign in, in which companies and with which roles. */
const session = useSession();
const catalog = useCatalog();
const persons = usePersons();
const roles = useRoles();
const tried = useAttempt();
const open = ref<Person>();
const word = ref<{ name: string; word: string; ends: string }>();
const copied = ref(false);
const given = reactive({
  name: "",
  signInName: "",
  everywhere: false,
  companies: [] as string[],
  roles: [] as string[],
  ended: false,
  subject: "",
});
const shown = computed(() => [...(persons.data ?? [])].sort((a, b) => Number(a.ended) - Number(b.ended)));
const roleName = (key: string) => roles.data?.roles.find((r) => r.key === key)?.name ?? key;
const roleOptions = computed(() => (roles.data?.roles ?? []).map((r) => ({ value: r.key, label: r.name })));

function edit(person?: Person) {
  tried.forget();
  word.value = undefined;
  open.value = person ?? ({ id: "", version: 0 } as Person);
  Object.assign(given, {
    name: person?.name ?? "",
    signInName: person?.signInName ?? "",
    everywhere: person?.everywhere ?? false,
    companies: [...(person?.companies ?? [])],
    roles: [...(person?.roles ?? [])],
    ended: person?.ended ?? false,
    subject: person?.subject ?? "",
  });
}
async function save() {
  const person = open.value!;
  const body = { ...given, version: person.version };
  if (body.everywhere) body.companies = [];
  const done = await tried.attempt(async () => {
    if (person.id) return changePerson(person.id, body);
    const added = await addPerson(body);
    tell(added.person.name, added.word, added.wordEnds);
  });
  if (done) open.value = undefined;
}
function tell(name: string, text: string, ends: string) {
  word.value = { name, word: text, ends };
  copied.value = false;
}
async function reset(person: Person) {
  const done = await tried.attempt(async () => {
    const given = await resetPerson(person.id);
    tell(person.name, given.word, given.wordEnds);
  });
  if (done) open.value = undefined;
}
async function copy() {
  await navigator.clipboard.writeText(word.value!.word);
  copied.value = true;
}
const state = (p: Person) =>
  p.ended
    ? "May not sign in"
    : !p.hasPassword && !p.subject
      ? "No password yet"
      : [p.hasFactor && "Second factor", p.subject && (session.state?.provider ?? "Provider")]
          .filter(Boolean)
          .join(", ");
const rolesOf = (p: Person) => p.roles.map(roleName).join(", ") || "None";
const companiesOf = (p: Person) =>
  p.everywhere ? "All" : p.companies.map(catalog.companyName).join(", ") || "None";
const list = useList<Person>(
  () => shown.value,
  () => [
    { label: "Name", value: (p) => p.name },
    { label: "Signs in as", value: (p) => p.signInName },
    { label: "Roles", value: rolesOf },
    { label: "Companies", value: companiesOf },
    { label: "State", value: state },
  ],
);
</script>

<template>
  <div class="page">
    <div class="page-head">
      <h1>Persons and roles</h1>
      <span class="spring" />
      <ListExport name="Persons" :list="list" />
      <button type="button" class="button first" @click="edit()">New person</button>
    </div>
    <TroubleNote :problem="persons.problem" :retry="persons.reload" />
    <div v-if="word" class="word" role="status">
      <p>
        Give {{ word.name }} this word. It lets them choose a password, once, until {{ moment(word.ends) }}.
        It is shown only now.
      </p>
      <code>{{ word.word }}</code>
      <button type="button" class="button" @click="copy">{{ copied ? "Copied" : "Copy" }}</button>
    </div>
    <TroubleNote v-if="!open" v-bind="tried.trouble" />
    <table v-if="shown.length" class="ledger" aria-label="Persons">
      <ListHead :list="list" />
      <tbody>
        <tr v-for="p in list.rows" :key="p.id" :class="{ quiet: p.ended }">
          <td>
            <button type="button" class="plain" @click="edit(p)">{{ p.name }}</button>
          </td>
          <td>{{ p.signInName }}</td>
          <td>{{ rolesOf(p) }}</td>
          <td>{{ companiesOf(p) }}</td>
          <td>{{ state(p) }}</td>
        </tr>
      </tbody>
    </table>

    <RolesPart v-if="roles.data" :roles="roles.data.roles" :permissions="roles.data.permissions" />
    <TroubleNote :problem="roles.problem" :retry="roles.reload" />

    <OverSheet v-if="open" :label="open.id ? open.name : 'New person'" @close="open = undefined">
      <form @submit.prevent="save">
        <h2>{{ open.id ? open.name : "New person" }}</h2>
        <label>
          <span class="field-label">Name</span>
          <input v-model="given.name" class="line" required autofocus />
        </label>
        <label>
          <span class="field-label">Name to sign in with</span>
          <input v-model="given.signInName" class="line" autocomplete="off" required />
        </label>
        <label v-if="session.state?.provider || given.subject">
          <span class="field-label">Known by {{ session.state?.provider ?? "the provider" }} as</span>
          <input v-model="given.subject" class="line" autocomplete="off" />
          <span class="quiet">The subject of the account there; empty: none, or not yet.</span>
        </label>
        <div class="labelled">
          <span class="field-label">Roles</span>
          <SelectBox
            v-model="given.roles"
            multiple
            within
            label="Roles"
            placeholder="none"
            :options="roleOptions"
          />
        </div>
        <label v-if="session.everywhere" class="tick">
          <input v-model="given.everywhere" type="checkbox" /> In all companies, also in those that come
        </label>
        <div v-if="!given.everywhere">
          <span class="field-label">Companies</span>
          <SelectBox
            v-model="given.companies"
            multiple
            within
            label="Companies"
            placeholder="none"
            :options="catalog.companyOptions"
          />
        </div>
        <label v-if="open.id" class="tick">
          <input v-model="given.ended" type="checkbox" /> May no longer sign in
        </label>
        <TroubleNote v-bind="tried.trouble" />
        <footer>
          <button type="submit" class="button first" :disabled="tried.busy">Save</button>
          <button type="button" class="button" @click="open = undefined">Cancel</button>
          <span class="spring" />
          <button v-if="open.id" type="button" class="plain" :disabled="tried.busy" @click="reset(open)">
            Reset the password
          </button>
        </footer>
      </form>
    </OverSheet>
  </div>
</template>

<style scoped>
.word {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: center;
  padding: 10px 14px;
  margin-bottom: 12px;
  background: var(--paper-raised);
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
}
.word p {
  flex: 1 0 100%;
  margin: 0;
}
form label,
form .labelled {
  display: block;
  margin: 9px 0;
}
form .tick {
  margin: 12px 0;
}
footer {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 14px;
}
.spring {
  flex: 1;
}
</style>
