import { defineStore } from "pinia";
import { ref } from "vue";
import { api, ask, type CrosswalkSummary, type SeriesView } from "@/api/client";

/** The crosswalks and number series that rules can be given, as far as choosing them needs. */
export const useTables = defineStore("tables", () => {
  const crosswalks = ref<CrosswalkSummary[]>([]);
  const series = ref<SeriesView[]>([]);

  /** Fetches what there is now; where that fails there is nothing to choose. */
  async function load() {
    const none = () => [];
    [crosswalks.value, series.value] = await Promise.all([
      ask(api.GET("/tables/crosswalks")).catch(none),
      ask(api.GET("/tables/series")).catch(none),
    ]);
  }

  return { crosswalks, series, load };
});
