import { createRouter, createWebHistory } from "vue-router";
import PlanView from "./views/PlanView.vue";

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", redirect: "/plan" },
    { path: "/plan", component: PlanView, meta: { title: "Plan" } },
    { path: "/rules", component: () => import("./views/RulesView.vue"), meta: { title: "Rules" } },
    { path: "/proofs", component: () => import("./views/ProofsView.vue"), meta: { title: "Proofs" } },
    {
      path: "/proofs/report",
      component: () => import("./views/ReportView.vue"),
      meta: { title: "Confirmation" },
    },
    {
      path: "/proofs/confirmed",
      component: () => import("./views/ConfirmedView.vue"),
      meta: { title: "Confirmed?" },
    },
    { path: "/records", component: () => import("./views/RecordsView.vue"), meta: { title: "Records" } },
    {
      path: "/records/:kind",
      component: () => import("./views/RecordsView.vue"),
      meta: { title: "Records" },
    },
    {
      path: "/records/:kind/:number",
      component: () => import("./views/RecordView.vue"),
      meta: { title: "Record" },
    },
    { path: "/tables", redirect: "/tables/companies" },
    {
      path: "/tables/:table",
      component: () => import("./views/TablesView.vue"),
      meta: { title: "Tables" },
    },
    {
      path: "/ledger/:number?",
      component: () => import("./views/LedgerView.vue"),
      meta: { title: "Ledger" },
    },
    { path: "/:path(.*)*", component: () => import("./views/NowhereView.vue"), meta: { title: "Nowhere" } },
  ],
});

router.afterEach((to) => {
  document.title = `${String(to.meta.title)} · Codicil`;
});
