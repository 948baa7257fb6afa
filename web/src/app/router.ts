import { createRouter, createWebHistory } from "vue-router";
import PlanView from "@/features/plan/PlanView.vue";
import WaitingView from "@/features/waiting/WaitingView.vue";

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", component: WaitingView, meta: { title: "To do" } },
    {
      path: "/sign-in/return",
      component: () => import("@/features/people/ReturnView.vue"),
      meta: { title: "Sign in" },
    },
    {
      path: "/start",
      component: () => import("@/features/start/StartView.vue"),
      meta: { title: "Begin" },
    },
    { path: "/plan", component: PlanView, meta: { title: "Plan" } },
    { path: "/rules", component: () => import("@/features/rules/RulesView.vue"), meta: { title: "Rules" } },
    {
      path: "/rules/learned",
      component: () => import("@/features/rules/LearnedView.vue"),
      meta: { title: "Learned from records" },
    },
    {
      path: "/codicils",
      component: () => import("@/features/codicils/CodicilsView.vue"),
      meta: { title: "Codicils" },
    },
    {
      path: "/codicils/:id(\\d+)",
      component: () => import("@/features/codicils/CodicilView.vue"),
      meta: { title: "Codicil" },
    },
    {
      path: "/codicils/signing",
      component: () => import("@/features/codicils/SigningView.vue"),
      meta: { title: "Who must sign" },
    },
    {
      path: "/codicils/:id(\\d+)/replays/:kind/:number",
      component: () => import("@/features/codicils/ReplayedView.vue"),
      meta: { title: "Replay" },
    },
    {
      path: "/findings",
      component: () => import("@/features/rules/FindingsView.vue"),
      meta: { title: "Findings" },
    },
    {
      path: "/proofs",
      component: () => import("@/features/proofs/ProofsView.vue"),
      meta: { title: "Proofs" },
    },
    {
      path: "/proofs/report",
      component: () => import("@/features/proofs/ReportView.vue"),
      meta: { title: "Confirmation" },
    },
    {
      path: "/proofs/confirmed",
      component: () => import("@/features/proofs/ConfirmedView.vue"),
      meta: { title: "Coverage" },
    },
    { path: "/desk", component: () => import("@/features/desk/DeskStart.vue"), meta: { title: "Desk" } },
    {
      path: "/desk/batches",
      component: () => import("@/features/desk/BatchesView.vue"),
      meta: { title: "Batches" },
    },
    {
      path: "/desk/batches/:id(\\d+)",
      component: () => import("@/features/desk/BatchView.vue"),
      meta: { title: "Batch" },
    },
    {
      path: "/desk/:kind",
      component: () => import("@/features/desk/DeskView.vue"),
      meta: { title: "Desk" },
    },
    {
      path: "/records",
      component: () => import("@/features/records/RecordsView.vue"),
      meta: { title: "Records" },
    },
    {
      path: "/records/:kind",
      component: () => import("@/features/records/RecordsView.vue"),
      meta: { title: "Records" },
    },
    {
      path: "/records/:kind/:number",
      component: () => import("@/features/records/RecordView.vue"),
      meta: { title: "Record" },
    },
    {
      path: "/breaks/:kind",
      component: () => import("@/features/records/BreaksView.vue"),
      meta: { title: "Broken checks" },
    },
    {
      path: "/derive/:kind",
      component: () => import("@/features/records/DeriveView.vue"),
      meta: { title: "Derive again" },
    },
    {
      path: "/duplicates/:kind",
      component: () => import("@/features/merging/DuplicatesView.vue"),
      meta: { title: "Duplicates" },
    },
    {
      path: "/merge/:kind",
      component: () => import("@/features/merging/MergeView.vue"),
      meta: { title: "Merge" },
    },
    {
      path: "/loads",
      component: () => import("@/features/loads/LoadsView.vue"),
      meta: { title: "Loads" },
    },
    {
      path: "/loads/:id",
      component: () => import("@/features/loads/LoadView.vue"),
      meta: { title: "Load" },
    },
    { path: "/runs", component: () => import("@/features/runs/RunsView.vue"), meta: { title: "Runs" } },
    { path: "/tables", redirect: "/tables/companies" },
    {
      path: "/tables/:table",
      component: () => import("@/features/tables/TablesView.vue"),
      meta: { title: "Tables" },
    },
    {
      path: "/ledger/:number?",
      component: () => import("@/features/ledger/LedgerView.vue"),
      meta: { title: "Ledger" },
    },
    {
      path: "/account",
      component: () => import("@/features/people/AccountView.vue"),
      meta: { title: "Account" },
    },
    {
      path: "/persons",
      component: () => import("@/features/people/PersonsView.vue"),
      meta: { title: "Persons and roles" },
    },
    {
      path: "/trail",
      component: () => import("@/features/people/TrailView.vue"),
      meta: { title: "Trail" },
    },
    { path: "/:path(.*)*", component: () => import("@/ui/NowhereView.vue"), meta: { title: "Nowhere" } },
  ],
});

router.afterEach((to) => {
  document.title = `${String(to.meta.title)} · Codicil`;
});
