import { createPinia, getActivePinia, setActivePinia } from "pinia";
import type { Catalog, Schemas } from "@/api/client";
import { queryClient } from "@/queries/client";

const presence = [
  { key: "is-blank", phrase: "is blank", operands: 0 },
  { key: "is-filled", phrase: "is filled", operands: 0 },
];

function name(
  text: string,
  label: string,
  fieldType: string,
  type: string,
  group = "This document",
): Schemas["Name"] {
  const field = text.split(".").at(-1)!;
  return {
    name: text,
    label,
    group,
    type,
    fieldType,
    kind: "vendor",
    field,
    linked: false,
    single: true,
    fits: type === "number",
  };
}

/** The names that a rule on the limit may use. */
export const names: Schemas["Names"] = {
  names: [
    name("country", "Country", "choice", "string"),
    name("limit", "Credit limit", "amount", "number"),
    name("blocked", "Blocked", "yes-no", "boolean"),
    name("entered.limit", "Credit limit as entered", "amount", "number", "As entered"),
  ],
  relations: {
    choice: [
      { key: "is", phrase: "is", operands: 1 },
      { key: "one-of", phrase: "is one of", operands: -1 },
      ...presence,
    ],
    amount: [
      { key: "between", phrase: "is between", operands: 2 },
      { key: "over", phrase: "is over", operands: 1 },
      ...presence,
    ],
    "yes-no": [{ key: "is", phrase: "is", operands: 1 }],
  },
};

/** A small catalog: a country to choose and a limit to compare. */
/** A person who may do everything. */
export const session: Schemas["SessionState"] = {
  state: "signed-in",
  person: {
    id: "p-1",
    name: "Ada Quill",
    signInName: "ada",
    hasPassword: true,
    hasFactor: false,
    hasProvider: false,
  },
  permissions: [
    "records.read records.change records.post records.many records.export ledger.read practice.post",
    "rules.read rules.change rules.force tables.change setup.change proofs.change persons.change trail.read",
  ]
    .join(" ")
    .split(" ")
    .map((key) => ({ key, title: key, byKind: key.startsWith("records"), kinds: [] })),
  everywhere: true,
  companies: [],
  idle: 3600,
};

/** Ends the stores that there are, with their watchers: they must not answer to what comes after. */
export function endStores() {
  const pinia = getActivePinia() as { _e?: { stop(): void } } | undefined;
  pinia?._e?.stop();
  setActivePinia(undefined);
}

export function fillCatalog() {
  endStores();
  queryClient.setQueryData(["session"], session);
  setActivePinia(createPinia());
  const catalog: Catalog = {
    lists: [],
    program: { release: "1.1.0", schema: 10, damaged: false },
    effects: {
      entry: { need: "required", access: "open" },
      source: { tie: "copied" },
      default: { lifetime: "new only" },
      validate: { severity: "refuse" },
      compute: {},
      substitute: {},
      "follow-up": {},
    },
    fieldTypes: [
      {
        name: "text",
        label: "Text",
        input: "text",
        formula: "string",
        width: 80,
        settings: ["length", "case", "pattern"],
        tables: true,
        beside: true,
      },
      {
        name: "number",
        label: "Number",
        input: "text",
        keys: "decimal",
        formula: "number",
        width: 80,
        right: true,
        settings: ["digits", "decimals"],
        tables: true,
      },
      {
        name: "amount",
        label: "Amount",
        input: "text",
        keys: "decimal",
        formula: "number",
        width: 80,
        right: true,
        settings: ["digits", "currency"],
      },
      {
        name: "quantity",
        label: "Quantity",
        input: "text",
        keys: "decimal",
        formula: "number",
        width: 80,
        right: true,
        settings: ["digits", "decimals", "unit"],
      },
      {
        name: "percent",
        share: true,
        label: "Percent",
        input: "text",
        keys: "decimal",
        formula: "number",
        width: 80,
        right: true,
        settings: ["digits", "decimals"],
        tables: true,
      },
      { name: "date", label: "Date", input: "date", formula: "date", width: 80, settings: [], tables: true },
      {
        name: "yes-no",
        label: "Yes or no",
        input: "yes-no",
        formula: "boolean",
        width: 80,
        settings: [],
        tables: true,
      },
      {
        name: "choice",
        label: "Choice",
        input: "choice",
        formula: "string",
        width: 80,
        settings: ["choices"],
        beside: true,
      },
      {
        name: "link",
        label: "Link",
        input: "link",
        formula: "string",
        width: 80,
        settings: ["kind"],
        tables: true,
      },
      {
        name: "email",
        label: "E-mail",
        input: "text",
        keys: "email",
        formula: "string",
        width: 80,
        settings: ["length"],
      },
      {
        name: "telephone",
        label: "Telephone",
        input: "text",
        keys: "tel",
        formula: "string",
        width: 80,
        settings: ["length", "country"],
      },
      {
        name: "web-address",
        label: "Web address",
        input: "text",
        keys: "url",
        formula: "string",
        width: 80,
        settings: ["length"],
      },
      {
        name: "bank-account",
        label: "Bank account",
        input: "text",
        formula: "string",
        width: 80,
        settings: ["length"],
      },
      {
        name: "tax-number",
        label: "Tax number",
        input: "text",
        formula: "string",
        width: 80,
        settings: ["length", "country"],
      },
    ],
    today: "2026-11-24",
    user: "Ada",
    companies: [
      {
        key: "30",
        name: "Kaisan",
        country: "JP",
        currency: "JPY",
        rounding: "half-up",
        calendar: { freeDays: [6, 7], holidays: [] },
      },
    ],
    kinds: [
      {
        kind: {
          key: "vendor",
          label: "Vendor",
          plural: "Vendors",
          typeLabel: "Vendor group",
          prefix: "V",
          digits: 3,
          title: ["country"],
          sections: [{ key: "general", label: "General" }],
          fields: [
            {
              key: "country",
              label: "Country",
              section: "general",
              type: "choice",
              choices: [
                { code: "JP", label: "Japan" },
                { code: "IE", label: "Ireland" },
              ],
            },
            { key: "limit", label: "Credit limit", section: "general", type: "amount" },
            { key: "blocked", label: "Blocked", section: "general", type: "yes-no" },
          ],
        },
        types: [{ kind: "vendor", key: "TRAD", label: "Trade goods" }],
        families: ["entry", "default", "substitute", "validate"],
      },
    ],
  };
  queryClient.setQueryData(["catalog"], catalog);
}
