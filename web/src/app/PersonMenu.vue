<script setup lang="ts">
import { onClickOutside } from "@vueuse/core";
import { computed, nextTick, ref, useTemplateRef } from "vue";
import { RouterLink, useRoute } from "vue-router";
import { ownScreens } from "@/app/screens";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { useSession } from "@/queries/session";

/** Who is at work, what is theirs, and the way out. */
defineProps<{ night: boolean }>();
const emit = defineEmits<{ night: [on: boolean] }>();
const session = useSession();
const route = useRoute();
const catalog = useCatalog();
const tried = useAttempt();
const open = ref(false);
const menu = useTemplateRef("menu");
const head = useTemplateRef("head");
onClickOutside(menu, () => (open.value = false));
const own = computed(() => ownScreens.filter((s) => !s.needs.length || s.needs.some((p) => session.may(p))));
const others = computed(() => (session.state?.guests ?? []).filter((g) => g.id !== session.person?.id));
const roles: Record<string, string> = { keeper: "keeper of rules" };
function about(g: { roles: string[]; companies: string[] }) {
  const does = g.roles.length > 2 ? "all roles" : g.roles.map((r) => roles[r] ?? r).join(", ");
  return g.companies.length ? `${does} of ${g.companies.map(catalog.companyName).join(", ")}` : does;
}
async function show() {
  open.value = !open.value;
  if (!open.value) return;
  await nextTick();
  menu.value?.querySelector<HTMLElement>("a, button")?.focus();
}
function close() {
  open.value = false;
  head.value?.focus();
}
function move(by: number) {
  const all = [...(menu.value?.querySelectorAll<HTMLElement>(".list a, .list button") ?? [])];
  all[(all.indexOf(document.activeElement as HTMLElement) + by + all.length) % all.length]?.focus();
}
</script>

<template>
  <div
    ref="menu"
    class="person"
    @keydown.esc.stop="close"
    @keydown.down.prevent="move(1)"
    @keydown.up.prevent="move(-1)"
  >
    <div v-if="open" class="list" aria-label="Yours">
      <RouterLink v-for="s in own" :key="s.to" :to="s.to" @click="open = false">{{ s.label }}</RouterLink>
      <button type="button" @click="emit('night', !night)">
        {{ night ? "Day ledger" : "Night ledger" }}
      </button>
      <template v-if="others.length">
        <span class="head">Become another person of the demo</span>
        <button
          v-for="g in others"
          :key="g.id"
          type="button"
          @click="tried.attempt(() => session.become(g.id))"
        >
          {{ g.name }} <span class="quiet">{{ about(g) }}</span>
        </button>
      </template>
      <button
        v-if="session.state?.guests && session.state.provider"
        type="button"
        @click="tried.attempt(() => session.toProvider(route.fullPath, false))"
      >
        Sign in with {{ session.state.provider }} <span class="quiet">simulated</span>
      </button>
      <button
        v-if="session.person?.signInName && !session.state?.guests"
        type="button"
        @click="tried.attempt(session.signOut)"
      >
        Sign out
      </button>
      <p v-if="tried.trouble.problem" role="alert">{{ tried.trouble.problem }}</p>
    </div>
    <button ref="head" class="plain" type="button" :aria-expanded="open" @click="show">
      {{ session.person?.name ?? "…" }} ▾
    </button>
  </div>
</template>

<style scoped>
.person {
  position: relative;
}
.person > .plain {
  color: var(--ink-soft);
  text-decoration: none;
  font-size: 12px;
  white-space: nowrap;
}
.list {
  position: absolute;
  right: 0;
  top: 30px;
  z-index: 40;
  min-width: 220px;
  padding: 6px 0;
  background: var(--paper-raised);
  border: 1px solid var(--rule-strong);
  border-radius: 4px;
  box-shadow: 0 6px 18px rgb(10 15 25 / 14%);
}
.list a,
.list button {
  display: block;
  width: 100%;
  padding: 5px 14px;
  font: inherit;
  color: var(--ink);
  text-align: left;
  text-decoration: none;
  white-space: nowrap;
  background: none;
  border: 0;
  cursor: pointer;
}
.list a:hover,
.list button:hover,
.list a:focus-visible,
.list button:focus-visible {
  background: var(--paper);
}
.head {
  display: block;
  padding: 8px 14px 2px;
  font-size: 12px;
  color: var(--ink-soft);
  border-top: 1px solid var(--rule);
  margin-top: 4px;
}
</style>
