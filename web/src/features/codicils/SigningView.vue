<script setup lang="ts">
import WholeInput from "@/ui/WholeInput.vue";
import { computed, reactive, ref } from "vue";
import { RouterLink } from "vue-router";
import type { Schemas } from "@/api/client";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { changeSigning, useSigning } from "@/queries/codicils";
import { useSession } from "@/queries/session";
import { families } from "@/ui/families";
import { useList } from "@/ui/list";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** Who must sign codicils: by what they change, and by what the check finds. */
const catalog = useCatalog();
const session = useSession();
const tried = useAttempt();
const asked = useSigning();
type Rule = Schemas["SigningRule"];
const mayChange = computed(() => session.everywhere && session.may("persons.change"));

const finds: Record<Rule["finds"], string> = {
  anything: "whatever the check finds",
  amounts: "where amounts of posted documents would change",
  refusals: "where existing records would be refused",
  proofs: "where proofs fail with it",
  unproved: "where rules are not proved both ways",
  strength: "where proofs notice less than before",
  findings: "where there are new findings",
};
const roleName = (key: string) => asked.data?.roles.find((r) => r.key === key)?.name ?? key;
const listed = (all: string, named: string[]) => named.join(", ") || all;
const about = (r: Rule) =>
  [
    listed(
      "All kinds",
      r.kinds.map((k) => catalog.entry(k)?.kind.plural ?? k),
    ),
    listed("all companies", r.companies),
    listed(
      "all families",
      r.families.map((f) => families[f as keyof typeof families]?.label.toLowerCase() ?? f),
    ),
  ].join("; ");
const who = (r: Rule) => `${r.count} as ${roleName(r.role)}`;
const list = useList<Rule>(
  () => asked.data?.rules ?? [],
  () => [
    { label: "Why", value: (r) => r.title },
    { label: "Of what", value: about },
    { label: "When", value: (r) => finds[r.finds] },
    { label: "Who", value: who },
  ],
);

const draft = reactive({ open: false, version: 0, urgentDays: 0, rules: [] as Rule[] });
const days = ref<number>();
function edit() {
  const now = asked.data!;
  Object.assign(draft, {
    open: true,
    version: now.version,
    urgentDays: now.urgentDays,
    rules: JSON.parse(JSON.stringify(now.rules)) as Rule[],
  });
  days.value = now.urgentDays;
  if (!draft.rules.length) add();
}
function add() {
  draft.rules.push({
    title: "",
    kinds: [],
    companies: [],
    families: [],
    finds: "anything",
    role: asked.data?.roles[0]?.key ?? "",
    count: 1,
  });
}
async function save() {
  const done = await tried.attempt(async () => {
    await changeSigning({ version: draft.version, urgentDays: days.value ?? 0, rules: draft.rules });
  });
  if (done) draft.open = false;
}
const options = (all: [string, string][]) => all.map(([value, label]) => ({ value, label }));
</script>

<template>
  <div class="page signing">
    <div class="page-head">
      <h1>Who must sign</h1>
      <span class="spring" />
      <ListExport v-if="!draft.open" name="Who must sign" :list="list" />
      <RouterLink class="button" to="/codicils">All codicils</RouterLink>
      <button v-if="mayChange && !draft.open && asked.data" type="button" class="button first" @click="edit">
        Change
      </button>
    </div>
    <TroubleNote :problem="asked.problem" :retry="asked.reload" />
    <template v-if="asked.data && !draft.open">
      <p v-if="!asked.data.rules.length" class="empty">
        No rule says who must sign: one person who may put rules in force is enough, who may be its author.
      </p>
      <table v-else class="ledger" aria-label="Who must sign">
        <ListHead :list="list" />
        <tbody>
          <tr v-for="(r, i) in list.rows" :key="i">
            <td>{{ r.title }}</td>
            <td>{{ about(r) }}</td>
            <td>{{ finds[r.finds] }}</td>
            <td>{{ who(r) }}</td>
          </tr>
        </tbody>
      </table>
      <p class="quiet">
        {{
          asked.data.urgentDays
            ? `What is urgent may come into force before, with a reason; the signatures are owed within ${asked.data.urgentDays} days.`
            : "Nothing may come into force before it is signed."
        }}
        Where two are asked, somebody signs who made none of the changes. Whoever changes a rule at once signs
        it with that; where others must sign too, it is prepared in a codicil.
      </p>
    </template>
    <form v-if="draft.open" class="edit" aria-label="Who must sign" @submit.prevent="save">
      <fieldset v-for="(r, i) in draft.rules" :key="i" :aria-label="`Rule ${i + 1}`">
        <div class="fields">
          <label class="wide">
            <span class="field-label">Why they must sign</span>
            <input v-model="r.title" class="line" required maxlength="200" />
          </label>
          <div>
            <span class="field-label">Role</span>
            <SelectBox
              v-model="r.role"
              label="Role"
              :options="(asked.data?.roles ?? []).map((o) => ({ value: o.key, label: o.name }))"
            />
          </div>
          <div>
            <span class="field-label">Persons</span>
            <SelectBox
              v-model="r.count"
              label="Persons"
              :options="[1, 2, 3, 4, 5].map((n) => ({ value: n, label: String(n) }))"
            />
          </div>
          <div class="wide">
            <span class="field-label">When</span>
            <SelectBox
              v-model="r.finds"
              label="When"
              :options="options(Object.entries(finds) as [string, string][])"
            />
          </div>
          <div>
            <span class="field-label">Kinds</span>
            <SelectBox
              v-model="r.kinds"
              multiple
              label="Kinds"
              placeholder="all"
              :options="
                (catalog.catalog?.kinds ?? []).map((k) => ({ value: k.kind.key, label: k.kind.plural }))
              "
            />
          </div>
          <div>
            <span class="field-label">Companies</span>
            <SelectBox
              v-model="r.companies"
              multiple
              label="Companies"
              placeholder="all"
              :options="
                (catalog.catalog?.companies ?? []).map((c) => ({ value: c.key, label: `${c.key} ${c.name}` }))
              "
            />
          </div>
          <div>
            <span class="field-label">Families of rules</span>
            <SelectBox
              v-model="r.families"
              multiple
              label="Families of rules"
              placeholder="all, and what is no rule"
              :options="options(Object.entries(families).map(([key, f]) => [key, f.label]))"
            />
          </div>
          <button type="button" class="plain" @click="draft.rules.splice(i, 1)">Remove</button>
        </div>
      </fieldset>
      <button type="button" class="plain" @click="add">Add another</button>
      <label class="days">
        Signatures of what is urgent are owed within
        <WholeInput v-model="days" :min="0" :max="99" aria-label="Days" /> days; 0 lets nothing come into
        force before.
      </label>
      <TroubleNote v-bind="tried.trouble" />
      <div class="buttons">
        <button type="submit" class="button first" :disabled="tried.busy">Save</button>
        <button type="button" class="button" @click="draft.open = false">Cancel</button>
      </div>
    </form>
  </div>
</template>

<style scoped>
fieldset {
  border: 0;
  border-bottom: 1px solid var(--rule);
  margin: 0 0 10px;
  padding: 0 0 10px;
}
.fields > div {
  min-width: 170px;
}
.fields > .wide {
  min-width: 400px;
}
.days {
  display: block;
  margin: 12px 0;
}
.days input {
  width: 40px;
  text-align: right;
}
p {
  max-width: 860px;
}
</style>
