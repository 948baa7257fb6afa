import { ref } from "vue";
import { api, type Schemas } from "@/api/client";
import { askOnce, change, useAsked } from "@/queries/client";
import { format } from "@/queries/format";
import { useSession } from "@/queries/session";

export type Proposal = Schemas["LearnedProposal"];

/** The plan shows where proposals wait. */
export const proposing = ref(false);

/** The rules that saved records of a kind bear out, as it was learned last; for who sees all companies. */
export const useLearned = (kind: () => string) =>
  useAsked(
    () => (kind() && useSession().everywhere ? ["learned", kind(), { ...format }] : undefined),
    (signal) => api.GET("/kinds/{kind}/learned", { params: { path: { kind: kind() } }, signal }),
  );

/** What was learned of all kinds, and where records and rules have drifted apart. */
export const useDrift = () =>
  useAsked(
    () => (useSession().everywhere ? ["learned", "", { ...format }] : undefined),
    (signal) => api.GET("/learned", { signal }),
  );

export const startLearning = (kind: string) =>
  change(api.POST("/kinds/{kind}/learned", { params: { path: { kind } } }));

export const acceptLearned = (kind: string, key: string, instead: number) =>
  change(
    api.POST("/kinds/{kind}/learned/{key}/accept", { params: { path: { kind, key } }, body: { instead } }),
  );

export const leaveLearned = (kind: string, key: string, reason: string) =>
  change(api.PUT("/kinds/{kind}/learned/{key}/aside", { params: { path: { kind, key } }, body: { reason } }));

/** A rule says what the proposal does, or more. */
export const isRuled = (p: Proposal) =>
  p.existing.some((e) => e.relation === "same" || e.relation === "wider");

/** Nobody has decided on it yet. */
export const isOpen = (p: Proposal) => !p.aside && !isRuled(p);

/** What the forms are called, in the order in which they are shown. */
export const forms: { form: Proposal["form"][]; title: string; about: string }[] = [
  {
    form: ["computed", "source", "constant", "follows", "numbers"],
    title: "Values that follow from others",
    about: "A rule can fill them.",
  },
  {
    form: ["required", "blank", "unchanged"],
    title: "Fields that are always or never filled",
    about: "A rule can ask for them, or hide them.",
  },
  {
    form: ["order", "range", "pattern", "pairs", "unique"],
    title: "What never differs",
    about: "A check can hold it.",
  },
];

const relations: Record<Schemas["LearnedExisting"]["relation"], string> = {
  same: "says the same",
  wider: "says the same for more",
  narrower: "says the same for less",
  other: "says otherwise",
};
export const relationOf = (e: Schemas["LearnedExisting"]) => relations[e.relation];

export type Exception = Schemas["ExceptionAsItIs"];

/** The first records that do not bear a proposal out, as they are now. */
export const exceptionsOf = (kind: string, key: string, instead: number) =>
  askOnce(["learned", kind, key, instead, { ...format }], () =>
    api.GET("/kinds/{kind}/learned/{key}/exceptions", {
      params: { path: { kind, key }, query: { instead } },
    }),
  );
