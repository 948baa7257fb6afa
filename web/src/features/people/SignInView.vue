<script setup lang="ts">
import { computed, nextTick, onMounted, reactive, ref, useTemplateRef } from "vue";
import { RequestError } from "@/api/client";
import { useAttempt } from "@/queries/attempt";
import { inWords } from "@/queries/people";
import { holdsPasskeys, useSession } from "@/queries/session";
import TroubleNote from "@/ui/TroubleNote.vue";

/** The way in: with a password, with a one-time word, or as the first person at all. again: the session has ended. */
const props = defineProps<{ again?: boolean }>();
const session = useSession();
const tried = useAttempt();
const way = ref<"password" | "word">("password");
const needsCode = ref(false);
const form = useTemplateRef("form");
const given = reactive({
  name: "",
  signInName: props.again ? (session.person?.signInName ?? "") : "",
  password: "",
  word: "",
  code: "",
});
const first = computed(() => session.state?.state === "first");
const title = computed(() => {
  if (props.again) return "Your session has ended";
  if (first.value) return "Make the first administrator";
  return way.value === "word" ? "Choose a password" : "Sign in";
});

/** The cursor goes to the first box that is empty. */
async function focus() {
  await nextTick();
  const boxes = [...(form.value?.querySelectorAll("input") ?? [])];
  (boxes.find((b) => !b.value) ?? boxes[0])?.focus();
}
onMounted(focus);
async function enter() {
  const done = await tried.attempt(async () => {
    const { name, signInName, password, word, code } = given;
    if (first.value) return session.setUp({ word, name, signInName, password });
    if (way.value === "word") return session.setPassword({ signInName, word, password });
    try {
      await session.signIn({ signInName, password, code });
    } catch (error) {
      if (!(error instanceof RequestError) || error.problem.code !== "sign-in-code-needed") throw error;
      needsCode.value = true;
    }
  });
  if (!done) {
    given.code = "";
    if (!first.value && way.value === "password") given.password = "";
  }
  await focus();
}
const passkeys = holdsPasskeys();
const byPasskey = () => tried.attempt(() => inWords(session.byPasskey(), "You were not signed in"));
const toProvider = () =>
  tried.attempt(() =>
    session.toProvider(globalThis.location.pathname + globalThis.location.search, props.again),
  );
async function by(next: "password" | "word") {
  way.value = next;
  tried.forget();
  await focus();
}
</script>

<template>
  <div :class="again ? 'again' : 'whole'">
    <form ref="form" :aria-label="title" @submit.prevent="enter">
      <p v-if="!again" class="wordmark">Codicil</p>
      <h1>{{ title }}</h1>
      <p v-if="again" class="quiet">Nothing you typed is lost: sign in and go on.</p>
      <p v-else-if="first" class="quiet">
        Nobody can sign in yet. The console on which Codicil was started shows a word; it makes the first
        administrator, once.
      </p>
      <label v-if="first || way === 'word'">
        <span class="field-label">One-time word</span>
        <input v-model="given.word" class="line mono" autocomplete="one-time-code" required />
      </label>
      <label v-if="first">
        <span class="field-label">Your name</span>
        <input v-model="given.name" class="line" autocomplete="name" required />
      </label>
      <label>
        <span class="field-label">Name to sign in with</span>
        <input v-model="given.signInName" class="line" autocomplete="username" required />
      </label>
      <label>
        <span class="field-label">{{ first || way === "word" ? "New password" : "Password" }}</span>
        <input
          v-model="given.password"
          class="line"
          type="password"
          :autocomplete="first || way === 'word' ? 'new-password' : 'current-password'"
          required
        />
        <span v-if="first || way === 'word'" class="quiet"
          >At least 12 letters. A few words that only you put together are a good one.</span
        >
      </label>
      <label v-if="needsCode && way === 'password' && !first">
        <span class="field-label">Code of your second factor</span>
        <input v-model="given.code" class="line mono" autocomplete="one-time-code" required />
        <span class="quiet">Or one of your recovery codes.</span>
      </label>
      <TroubleNote v-bind="tried.trouble" />
      <footer>
        <button type="submit" class="button first" :disabled="tried.busy">
          {{ first ? "Make and sign in" : way === "word" ? "Save and sign in" : "Sign in" }}
        </button>
        <template v-if="!first">
          <button v-if="way === 'password'" type="button" class="plain" @click="by('word')">
            I have a one-time word
          </button>
          <button v-else type="button" class="plain" @click="by('password')">I have a password</button>
        </template>
      </footer>
      <footer v-if="(session.state?.provider || passkeys) && !first" class="other">
        <button v-if="passkeys" type="button" class="button" :disabled="tried.busy" @click="byPasskey">
          Sign in with a passkey
        </button>
        <button
          v-if="session.state?.provider"
          type="button"
          class="button"
          :disabled="tried.busy"
          @click="toProvider"
        >
          Sign in with {{ session.state.provider }}
        </button>
        <span v-if="again && session.state?.provider" class="quiet">in a new tab</span>
      </footer>
    </form>
  </div>
</template>

<style scoped>
.whole {
  height: 100%;
  overflow: auto;
  display: grid;
  place-items: start center;
  padding-top: 14vh;
}
form {
  width: min(380px, 90vw);
}
.again form {
  width: auto;
}
.wordmark {
  font: 600 26px/1 var(--serif);
  margin: 0 0 22px;
}
h1 {
  margin-bottom: 10px;
}
label {
  display: block;
  margin: 10px 0;
}
label .quiet {
  font-size: 12px;
}
footer {
  display: flex;
  gap: 14px;
  align-items: center;
  margin-top: 16px;
}
.other {
  padding-top: 16px;
  border-top: 1px solid var(--rule);
}
</style>
