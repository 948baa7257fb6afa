<script setup lang="ts">
import { onMounted, ref } from "vue";
import { useRoute } from "vue-router";
import { useAttempt } from "@/queries/attempt";
import { useSession } from "@/queries/session";
import TroubleNote from "@/ui/TroubleNote.vue";

/** Where a browser comes back to from the provider of sign-ins. */
const route = useRoute();
const session = useSession();
const tried = useAttempt();
const declined = ref(false);
onMounted(async () => {
  const { code, state, error } = route.query;
  declined.value = !!error || !code;
  if (!declined.value) await tried.attempt(() => session.finishProvider(String(code), String(state)));
});
</script>

<template>
  <div class="return" role="status">
    <p class="wordmark">Codicil</p>
    <h1 v-if="declined">You were not signed in</h1>
    <h1 v-else-if="tried.trouble.problem">You were not signed in</h1>
    <h1 v-else>Signing in…</h1>
    <p v-if="declined" class="quiet">
      {{ session.state?.provider }} did not sign you in, or you chose not to.
    </p>
    <TroubleNote v-bind="tried.trouble" />
    <a v-if="declined || tried.trouble.problem" class="button first" href="/">Back</a>
  </div>
</template>

<style scoped>
.return {
  width: min(380px, 90vw);
  margin: 14vh auto 0;
}
.wordmark {
  font: 600 26px/1 var(--serif);
  margin: 0 0 22px;
}
h1 {
  margin-bottom: 10px;
}
.button {
  display: inline-block;
  margin-top: 12px;
}
</style>
