import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { api, ask, type Catalog, type Field, type KindEntry } from "@/api/client";

/** Companies, kinds and types: what every screen needs to name things. */
export const useCatalog = defineStore("catalog", () => {
  const catalog = ref<Catalog>();
  const problem = ref<string>();

  async function load() {
    try {
      catalog.value = await ask(api.GET("/catalog"));
      problem.value = undefined;
    } catch (error) {
      problem.value = (error as Error).message;
    }
  }

  const kind = computed<KindEntry | undefined>(() => catalog.value?.kinds[0]);

  function field(key: string): Field | undefined {
    return kind.value?.kind.fields.find((f) => f.key === key);
  }
  function companyName(key: string): string {
    const company = catalog.value?.companies.find((c) => c.key === key);
    return company ? `${company.key} ${company.name}` : key;
  }
  function typeName(key: string): string {
    return kind.value?.types.find((t) => t.key === key)?.label ?? key;
  }

  return { catalog, problem, kind, load, field, companyName, typeName };
});
