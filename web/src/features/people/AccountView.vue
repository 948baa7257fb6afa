<script setup lang="ts">
import { reactive, ref } from "vue";
import KeysPart from "@/features/people/KeysPart.vue";
import { useAttempt } from "@/queries/attempt";
import { moment } from "@/queries/format";
import {
  addPasskey,
  beginFactor,
  confirmFactor,
  endSession,
  inWords,
  removeFactor,
  removePasskey,
  usePasskeys,
  useSessions,
} from "@/queries/people";
import { holdsPasskeys, useSession } from "@/queries/session";
import TroubleNote from "@/ui/TroubleNote.vue";

/** What is the person's own: password, second factor, sessions, and keys of programs. */
const session = useSession();
const sessions = useSessions();
const ending = useAttempt();
const changing = useAttempt();
const factoring = useAttempt();
const password = reactive({ current: "", password: "" });
const changed = ref(false);
async function changePassword() {
  changed.value = await changing.attempt(() => session.changePassword({ ...password }));
  if (changed.value) Object.assign(password, { current: "", password: "" });
}
const given = reactive({ password: "", code: "" });
const begun = ref<{ secret: string; address: string }>();
const recovery = ref<string[]>([]);
const begin = () =>
  factoring.attempt(async () => {
    begun.value = await beginFactor(given.password);
    given.password = "";
  });
const confirm = () =>
  factoring.attempt(async () => {
    recovery.value = (await confirmFactor(given.code)).recovery;
    begun.value = undefined;
    given.code = "";
    await session.reload();
  });
const remove = () =>
  factoring.attempt(async () => {
    await removeFactor(given.password);
    given.password = "";
    recovery.value = [];
    await session.reload();
  });
const passkeys = usePasskeys();
const keying = useAttempt();
const key = reactive({ name: "", password: "" });
async function addKey() {
  const done = await keying.attempt(() => inWords(addPasskey(key.name, key.password), "It was not added"));
  key.password = "";
  if (done) key.name = "";
}
/** A browser in a few words. */
function browser(program: string): string {
  const name = /(Firefox|Edg|Chrome|Safari)/.exec(program)?.[1];
  const system = /(Windows|Macintosh|Linux|Android|iPhone|iPad)/.exec(program)?.[1];
  if (!name) return program || "Unknown";
  return `${name === "Edg" ? "Edge" : name}${system ? ` on ${system === "Macintosh" ? "Mac" : system}` : ""}`;
}
</script>

<template>
  <div class="page account">
    <div class="page-head">
      <h1>{{ session.person?.name }}</h1>
      <span class="quiet">{{ session.person?.signInName }}</span>
      <span v-if="session.person?.hasProvider" class="quiet"
        >known by {{ session.state?.provider ?? "a provider of sign-ins" }}</span
      >
    </div>

    <section v-if="session.person?.hasPassword" aria-label="Password">
      <h2>Password</h2>
      <form @submit.prevent="changePassword">
        <label>
          <span class="field-label">Current password</span>
          <input
            v-model="password.current"
            class="line"
            type="password"
            autocomplete="current-password"
            required
          />
        </label>
        <label>
          <span class="field-label">New password</span>
          <input
            v-model="password.password"
            class="line"
            type="password"
            autocomplete="new-password"
            required
          />
        </label>
        <button type="submit" class="button" :disabled="changing.busy">Change password</button>
      </form>
      <p v-if="changed" role="status" class="quiet">Changed. Your other sessions have ended.</p>
      <TroubleNote v-bind="changing.trouble" />
    </section>

    <section v-if="session.person?.hasPassword" aria-label="Second factor">
      <h2>Second factor</h2>
      <p v-if="session.person.hasFactor">A code of your authenticator is asked for at every sign-in.</p>
      <p v-else class="quiet">
        A program on your telephone makes a code that is asked for besides the password.
      </p>
      <form v-if="begun" @submit.prevent="confirm">
        <p class="wide">
          Enter this key in the program, or open
          <a :href="begun.address">its address</a> on the telephone: <code>{{ begun.secret }}</code>
        </p>
        <label>
          <span class="field-label">First code</span>
          <input v-model="given.code" class="line mono" autocomplete="one-time-code" required />
        </label>
        <button type="submit" class="button first" :disabled="factoring.busy">Turn on</button>
      </form>
      <form v-else @submit.prevent="session.person.hasFactor ? remove() : begin()">
        <label>
          <span class="field-label">Password</span>
          <input
            v-model="given.password"
            class="line"
            type="password"
            autocomplete="current-password"
            required
          />
        </label>
        <button type="submit" class="button" :disabled="factoring.busy">
          {{ session.person.hasFactor ? "Turn off" : "Set up" }}
        </button>
      </form>
      <div v-if="recovery.length" role="status" class="recovery">
        <p>
          It is on. Keep these codes where only you find them: each signs you in once, should the telephone be
          lost. They are shown only now.
        </p>
        <code v-for="c in recovery" :key="c">{{ c }}</code>
      </div>
      <TroubleNote v-bind="factoring.trouble" />
    </section>

    <section v-if="session.person?.hasPassword" aria-label="Passkeys">
      <h2>Passkeys</h2>
      <p class="quiet">
        A passkey of your device signs you in without a password or a code. Unlike those, it cannot be given
        away by mistake.
      </p>
      <TroubleNote :problem="passkeys.problem" :retry="passkeys.reload" />
      <table v-if="passkeys.data?.length" class="ledger">
        <thead>
          <tr>
            <th>Passkey</th>
            <th>Added</th>
            <th>Last used</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="k in passkeys.data" :key="k.id">
            <td>{{ k.name }}</td>
            <td>{{ moment(k.added) }}</td>
            <td>{{ k.used ? moment(k.used) : "Never" }}</td>
            <td>
              <button type="button" class="plain" @click="keying.attempt(() => removePasskey(k.id))">
                Remove
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <form v-if="holdsPasskeys()" @submit.prevent="addKey">
        <label>
          <span class="field-label">Name of the device</span>
          <input v-model="key.name" class="line" required maxlength="100" />
        </label>
        <label>
          <span class="field-label">Password</span>
          <input
            v-model="key.password"
            class="line"
            type="password"
            autocomplete="current-password"
            required
          />
        </label>
        <button type="submit" class="button" :disabled="keying.busy">Add a passkey</button>
      </form>
      <p v-else class="quiet">
        Passkeys are for names: open Codicil by its name, such as localhost, and not by a number.
      </p>
      <TroubleNote v-bind="keying.trouble" />
    </section>

    <section aria-label="Sessions">
      <h2>Where you are signed in</h2>
      <TroubleNote :problem="sessions.problem" :retry="sessions.reload" />
      <table v-if="sessions.data?.length" class="ledger">
        <thead>
          <tr>
            <th>Browser</th>
            <th>Address</th>
            <th>Since</th>
            <th>Last used</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in sessions.data" :key="s.id">
            <td>{{ browser(s.program) }} <span v-if="s.current" class="quiet">this one</span></td>
            <td>{{ s.address }}</td>
            <td>{{ moment(s.begun) }}</td>
            <td>{{ moment(s.used) }}</td>
            <td>
              <button
                v-if="!s.current"
                type="button"
                class="plain"
                @click="ending.attempt(() => endSession(s.id))"
              >
                End
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="sessions.data" class="quiet">Nowhere with a password: this machine lets you in.</p>
      <TroubleNote v-bind="ending.trouble" />
    </section>

    <KeysPart />
  </div>
</template>

<style scoped>
section {
  margin-bottom: 26px;
}
h2 {
  margin-bottom: 6px;
}
form {
  display: flex;
  flex-wrap: wrap;
  align-items: end;
  gap: 12px;
}
form label {
  flex: 0 0 240px;
}
.wide {
  flex: 1 0 100%;
  margin: 0;
}
.recovery code {
  display: inline-block;
  margin: 0 18px 6px 0;
}
</style>
