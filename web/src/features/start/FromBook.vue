<script setup lang="ts">
import FileButton from "@/ui/FileButton.vue";
import { ref } from "vue";
import { RouterLink } from "vue-router";
import { useAttempt } from "@/queries/attempt";
import { count } from "@/queries/format";
import { readBook, type BookChange } from "@/queries/start";
import TroubleNote from "@/ui/TroubleNote.vue";

/** A rule book that was exported elsewhere: what it would change is told first. */
const tried = useAttempt();
const file = ref<File>();
const changes = ref<BookChange[]>();
const done = ref(false);

async function choose(chosen: File) {
  file.value = chosen;
  changes.value = undefined;
  done.value = false;
  await tried.attempt(async () => (changes.value = await readBook(chosen, false)));
}
async function keep() {
  done.value = await tried.attempt(async () => (changes.value = await readBook(file.value!, true)));
}
</script>

<template>
  <TroubleNote v-bind="tried.trouble" />
  <p>
    <FileButton label="Choose a book file" accept=".json,.yaml,.yml,.txt" @chosen="choose" />
    <span class="quiet"> Written by Export, as JSON or as text.</span>
  </p>
  <template v-if="changes && file">
    <p role="status">
      {{ file.name }} {{ done ? "was read in:" : "would make" }} {{ count(changes.length) }}
      {{ changes.length === 1 ? "change" : "changes" }}{{ done ? "." : "; nothing is kept yet." }}
    </p>
    <p v-if="done">
      <RouterLink to="/plan">Open the plan</RouterLink> or
      <RouterLink to="/proofs">run its proofs</RouterLink>.
    </p>
    <p v-else>
      <button type="button" class="button first" :disabled="tried.busy || !changes.length" @click="keep">
        Read it in
      </button>
    </p>
    <table class="ledger">
      <thead>
        <tr>
          <th>Deed</th>
          <th>What</th>
          <th>Name</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(c, i) in changes.slice(0, 200)" :key="i">
          <td>{{ c.deed }}</td>
          <td>{{ c.what }}</td>
          <td>{{ c.name }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="changes.length > 200" class="quiet">and {{ count(changes.length - 200) }} more</p>
  </template>
</template>
