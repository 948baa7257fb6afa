import { api } from "@/api/client";
import { useAsked } from "@/queries/client";
import { format } from "@/queries/format";

/** The values that everybody gets for a period. */
export const useStanding = () =>
  useAsked(
    () => ["tables", "standing", { ...format }],
    (signal) => api.GET("/tables/standing", { signal }),
  );

export const useCrosswalks = () =>
  useAsked(
    () => ["tables", "crosswalks"],
    (signal) => api.GET("/tables/crosswalks", { signal }),
  );

/** The number series, with their next numbers. */
export const useSeries = () =>
  useAsked(
    () => ["tables", "series"],
    (signal) => api.GET("/tables/series", { signal }),
  );

/** How a record becomes the beginning of another. */
export const useFollowOns = () =>
  useAsked(
    () => ["follow-ons"],
    (signal) => api.GET("/follow-ons", { signal }),
  );
