<script setup lang="ts">
import { useEventListener, useLocalStorage, usePreferredDark } from "@vueuse/core";
import { computed, defineAsyncComponent, ref, watchEffect } from "vue";
import { RouterLink, RouterView, useRoute } from "vue-router";
import GoAnywhere from "@/app/GoAnywhere.vue";
import FormatSheet from "@/app/FormatSheet.vue";
import ShortcutList from "@/app/ShortcutList.vue";
import PersonMenu from "@/app/PersonMenu.vue";
import { ownScreens, screens } from "@/app/screens";
import ShownBar from "@/features/codicils/ShownBar.vue";
import SignInView from "@/features/people/SignInView.vue";
import { format } from "@/queries/format";
import InvalidNote from "@/ui/InvalidNote.vue";
import OverSheet from "@/ui/OverSheet.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useCatalog } from "@/queries/catalog";
import { useNews } from "@/queries/news";
import { shownRules } from "@/queries/client";
import { useSession } from "@/queries/session";

const ReturnView = defineAsyncComponent(() => import("@/features/people/ReturnView.vue"));
const session = useSession();
const catalog = useCatalog();
useNews();
const seen = computed(() => screens.filter((s) => !s.needs.length || s.needs.some((p) => session.may(p))));
const route = useRoute();

/** Screens that are of use before there is a company. */
const needsNoCompany = computed(() =>
  ["/tables", "/start", ...ownScreens.map((s) => s.to)].some((to) => route.path.startsWith(to)),
);

const dark = usePreferredDark();
const chosen = useLocalStorage<"" | "day" | "night">("codicil-theme", "");
const night = computed(() => (chosen.value ? chosen.value === "night" : dark.value));
watchEffect(() => document.documentElement.classList.toggle("night", night.value));

const going = ref(false);
const shortcuts = ref(false);
const formatting = ref(false);
/** A date and a number as the person writes them. */
const example = computed(() => {
  const parts = { d: "24", m: "11", y: "2026" } as Record<string, string>;
  const date = [...format.date].map((p) => parts[p]).join(format.separator);
  return `${date} · 1${format.group}234${format.decimal}50`;
});
/** What is on the screen was written the old way: it is drawn anew. */
const writing = ref(0);
function writeAnew() {
  formatting.value = false;
  writing.value++;
}
useEventListener("keydown", (event: KeyboardEvent) => {
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
    event.preventDefault();
    going.value = true;
    return;
  }
  const target = event.target as HTMLElement;
  const typing = target.closest("input, textarea, select, [contenteditable]");
  if (event.key === "?" && !typing) shortcuts.value = true;
});
</script>

<template>
  <ReturnView v-if="route.path === '/sign-in/return'" />
  <SignInView v-else-if="session.state && !session.person" />
  <div v-else class="frame">
    <header>
      <RouterLink to="/" class="wordmark">Codicil</RouterLink>
      <nav aria-label="Screens">
        <RouterLink
          v-for="screen in seen"
          :key="screen.to"
          :to="screen.to"
          :class="{ here: screen.to === '/' ? route.path === '/' : route.path.startsWith(screen.to) }"
          >{{ screen.label }}</RouterLink
        >
      </nav>
      <span class="spring" />
      <button class="plain" type="button" @click="going = true">Go to… <kbd>Ctrl K</kbd></button>
      <button class="plain" type="button" @click="shortcuts = true">Keys <kbd>?</kbd></button>
      <button class="plain" type="button" title="Numbers and dates" @click="formatting = true">
        {{ example }}
      </button>
      <PersonMenu :night="night" @night="chosen = $event ? 'night' : 'day'" />
    </header>
    <TroubleNote v-if="!session.expired" class="offline" :problem="catalog.problem" :retry="catalog.reload" />
    <TroubleNote
      v-if="catalog.catalog?.program.damaged"
      class="offline"
      problem="A part of the data file is damaged. What can be read is shown; do not rely on what is written now. Stop Codicil, keep the file as it is and go back to a copy of it."
    />
    <TroubleNote class="offline" :problem="catalog.catalog?.program.backup" />
    <ShownBar />
    <main v-if="catalog.catalog && session.state">
      <div v-if="!catalog.catalog.companies.length && !needsNoCompany" class="page">
        <p class="empty">
          There is nothing here yet: no company, no record, no rule.
          <template v-if="session.may('setup.change')">
            <RouterLink to="/start">Begin</RouterLink> step by step, from a spreadsheet or a book file, or
            look at the demo beside.
          </template>
          <template v-else>Somebody who may change the set-up has to make the first company.</template>
        </p>
      </div>
      <RouterView v-else :key="`${writing} ${shownRules}`" />
    </main>
    <main v-else-if="!catalog.problem" class="page quiet">Loading…</main>
    <GoAnywhere v-if="going" @close="going = false" />
    <FormatSheet v-if="formatting" @close="formatting = false" @chosen="writeAnew" />
    <ShortcutList v-if="shortcuts" @close="shortcuts = false" />
    <OverSheet v-if="session.expired" label="Sign in again" staying>
      <SignInView again />
    </OverSheet>
  </div>
  <InvalidNote />
</template>

<style scoped>
.frame {
  height: 100%;
  display: flex;
  flex-direction: column;
}
header {
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 0 20px;
  height: 42px;
  flex: none;
  border-bottom: 1px solid var(--rule-strong);
}
.wordmark {
  font: 600 19px/1 var(--serif);
  text-decoration: none;
  letter-spacing: 0.01em;
  margin-right: 10px;
}
nav {
  display: flex;
  height: 100%;
}
nav a {
  display: flex;
  align-items: center;
  padding: 2px 8px 0;
  white-space: nowrap;
  text-decoration: none;
  color: var(--ink-soft);
  border-bottom: 2px solid transparent;
  margin-bottom: -1px;
}
nav a:hover {
  color: var(--ink);
}
nav a.here {
  color: var(--ink);
  border-bottom-color: var(--ink);
}
.spring {
  flex: 1;
}
header .plain {
  color: var(--ink-soft);
  text-decoration: none;
  font-size: 12px;
  white-space: nowrap;
}
header .plain:hover {
  color: var(--ink);
}
kbd {
  font: 11px/1 var(--mono);
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  padding: 1px 4px;
  margin-left: 3px;
}
main {
  flex: 1;
  min-height: 0;
  overflow: auto;
  width: 100%;
}
.offline {
  margin: 12px 24px;
}
</style>
