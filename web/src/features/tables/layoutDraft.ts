import { computed, ref } from "vue";
import type { Layout } from "@/api/client";

type Section = Layout["sections"][number];
type Place = Section["fields"][number];

/** Where a field stands in a layout. */
export interface Position {
  section: number;
  field: number;
}

const widest = 12;

/**
 * A layout while it is arranged. Fields are lists within sections, so that none can overlap
 * another or get lost; those of the lines stay in the section of the lines.
 */
export function useLayoutDraft() {
  const draft = ref<Layout>({ sections: [] });
  const kept = ref("");
  const past = ref<string[]>([]);
  const dirty = computed(() => JSON.stringify(draft.value) !== kept.value);

  function load(layout: Layout) {
    kept.value = JSON.stringify(layout);
    draft.value = JSON.parse(kept.value) as Layout;
    past.value = [];
  }
  /** Takes up what was saved of it; what was arranged since it was sent stays. */
  function saved(layout: Layout, sent: string) {
    if (JSON.stringify(draft.value) === sent) load(layout);
    else kept.value = JSON.stringify(layout);
  }
  function remember() {
    past.value = [...past.value, JSON.stringify(draft.value)].slice(-50);
  }
  function undo() {
    const last = past.value.pop();
    if (last) draft.value = JSON.parse(last) as Layout;
  }

  function fieldAt(position: Position): Place | undefined {
    return draft.value.sections[position.section]?.fields[position.field];
  }

  /** Moves a field before the place it is put on; returns where it stands then. */
  function move(from: Position, to: Position): Position {
    const source = draft.value.sections[from.section];
    const target = draft.value.sections[to.section];
    if (!source || !target || (source.key === "lines") !== (target.key === "lines")) return from;
    if (from.section === to.section && from.field === to.field) return from;
    remember();
    const [place] = source.fields.splice(from.field, 1);
    const at = Math.max(0, Math.min(to.field, target.fields.length));
    target.fields.splice(at, 0, place!);
    return { section: to.section, field: at };
  }

  /** Moves a field one place on, or into the section before or after. */
  function step(from: Position, by: "left" | "right" | "up" | "down"): Position {
    if (by === "left" && from.field > 0) return move(from, { ...from, field: from.field - 1 });
    const last = (draft.value.sections[from.section]?.fields.length ?? 0) - 1;
    if (by === "right" && from.field < last) return move(from, { ...from, field: from.field + 1 });
    if (by !== "up" && by !== "down") return from;
    const section = from.section + (by === "up" ? -1 : 1);
    const target = draft.value.sections[section];
    if (!target) return from;
    return move(from, { section, field: by === "up" ? target.fields.length : 0 });
  }

  function change(position: Position, next: Partial<Place>) {
    const place = fieldAt(position);
    if (!place) return;
    remember();
    Object.assign(place, next);
  }
  function resize(position: Position, by: number) {
    const place = fieldAt(position);
    if (place) change(position, { width: Math.max(1, Math.min(widest, place.width + by)) });
  }
  function changeSection(section: number, next: Partial<Section>) {
    remember();
    Object.assign(draft.value.sections[section]!, next);
  }
  function moveSection(section: number, by: number) {
    const to = section + by;
    if (to < 0 || to >= draft.value.sections.length) return;
    remember();
    const [moved] = draft.value.sections.splice(section, 1);
    draft.value.sections.splice(to, 0, moved!);
  }

  return {
    draft,
    dirty,
    past,
    load,
    saved,
    undo,
    fieldAt,
    move,
    step,
    change,
    resize,
    changeSection,
    moveSection,
  };
}
