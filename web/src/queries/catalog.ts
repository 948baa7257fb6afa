import { inSentence, writeAs } from "@/queries/format";
import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { api, type Catalog, type Field, type FieldType, type KindEntry } from "@/api/client";
import { called } from "@/queries/lists";
import { useAsked } from "@/queries/client";
import { useSession } from "@/queries/session";

/** Fields that choose from a list, with what it offers; the list itself comes once. */
function withChoices(catalog: Catalog, language: string): Catalog {
  const lists = new Map(catalog.lists.map((l) => [l.key, called(l, language)]));
  const filled = (f: Field): Field => (f.list ? { ...f, choices: lists.get(f.list) ?? [] } : f);
  return {
    ...catalog,
    kinds: catalog.kinds.map((k) => ({ ...k, kind: { ...k.kind, fields: k.kind.fields.map(filled) } })),
  };
}

/** Companies, kinds and types: what every screen needs to name things. */
export const useCatalog = defineStore("catalog", () => {
  const session = useSession();
  const asked = useAsked(
    () => ["catalog"],
    async (signal) => {
      // What others change is heard from where the session was told on: nothing on the screen may be older.
      await session.known();
      return api.GET("/catalog", { signal });
    },
    { lasting: true, keep: true },
  );
  const catalog = computed(() => (asked.data ? withChoices(asked.data, session.language) : undefined));
  const problem = computed(() => asked.problem);
  /** The kind of record that plan, rules and proofs are about. */
  const chosen = ref("");

  /** The chosen company, whose format holds for people who chose none. */
  const at = ref("");
  function writeFor(company: string) {
    at.value = company;
    const own = catalog.value?.format;
    writeAs(own ?? catalog.value?.companies.find((c) => c.key === company)?.format);
  }
  watch(
    catalog,
    (now) => {
      writeFor(at.value);
      // The letters of Japan are many; they are fetched only where somebody may need them.
      if (now?.companies.some((c) => c.country === "JP")) void import("@/theme/japanese");
    },
    { immediate: true },
  );

  const kinds = computed<KindEntry[]>(() => catalog.value?.kinds ?? []);
  function entry(kind: string): KindEntry | undefined {
    return kinds.value.find((k) => k.kind.key === kind);
  }
  const kind = computed<KindEntry | undefined>(() => entry(chosen.value) ?? kinds.value[0]);

  /** What fields of a type offer; one that is not known is a text. */
  function traits(type: string): FieldType {
    return (
      catalog.value?.fieldTypes.find((t) => t.name === type) ?? {
        name: type,
        label: type,
        input: "text",
        formula: "string",
        width: 110,
        settings: [],
      }
    );
  }

  function field(key: string, of?: string): Field | undefined {
    return (of ? entry(of) : kind.value)?.kind.fields.find((f) => f.key === key);
  }
  /** A field as messages name it: Amount, or Amount in line 2. */
  function label(key: string, line?: number, of?: string): string {
    if (!key) return line ? `Line ${line}` : "Document";
    const name = field(key, of)?.label ?? key;
    return line ? `${name} in line ${line}` : name;
  }
  function companyName(key: string): string {
    const company = catalog.value?.companies.find((c) => c.key === key);
    return company ? `${company.key} ${company.name}` : key;
  }
  function typeName(key: string, of?: string): string {
    return (of ? entry(of) : kind.value)?.types.find((t) => t.key === key)?.label ?? key;
  }
  /** The types of a kind that a company uses. */
  function typesIn(company: string, of?: string) {
    return ((of ? entry(of) : kind.value)?.types ?? []).filter(
      (t) => !t.companies?.length || t.companies.includes(company),
    );
  }

  // Companies and types as they are offered to choose from.
  const companyOptions = computed(() =>
    (catalog.value?.companies ?? []).map((c) => ({ value: c.key, label: `${c.key} ${c.name}` })),
  );
  function typeOptions(company: string, of?: string) {
    return typesIn(company, of).map((t) => ({ value: t.key, label: t.label }));
  }
  /** The kinds, as they stand at the beginning of a sentence, or within one. */
  function kindOptions(within = false) {
    return kinds.value.map(({ kind: k }) => ({
      value: k.key,
      label: within ? inSentence(k.plural) : k.plural,
    }));
  }

  return {
    companyOptions,
    typeOptions,
    kindOptions,
    catalog,
    problem,
    chosen,
    kinds,
    kind,
    reload: asked.reload,
    writeFor,
    entry,
    traits,
    field,
    label,
    companyName,
    typeName,
    typesIn,
  };
});
