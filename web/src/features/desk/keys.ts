import { useLocalStorage } from "@vueuse/core";
import { computed } from "vue";
import { useSession } from "@/queries/session";

/** What a person does at the desk by a key. */
export type Deed =
  | "next"
  | "repeat"
  | "above"
  | "partner"
  | "stop"
  | "section"
  | "assist"
  | "undo"
  | "aside"
  | "takeUp"
  | "find"
  | "removeLine"
  | "doubleLine"
  | "lineUp"
  | "lineDown";

export interface DeskKey {
  deed: Deed;
  /** As it stands at the foot, with what the deed is at the desk. */
  label: string;
  key: string;
  /** It stands at the foot; the others are in the list of keys. */
  foot?: boolean;
}

const standard: DeskKey[] = [
  { deed: "next", label: "Save and next", key: "Ctrl+Enter", foot: true },
  { deed: "repeat", label: "As in the document before", key: "F2", foot: true },
  { deed: "above", label: "As in the line above", key: "F4", foot: true },
  { deed: "partner", label: "As in the last of this one", key: "F9", foot: true },
  { deed: "stop", label: "Next stop", key: "F8", foot: true },
  { deed: "section", label: "Next section", key: "F10", foot: true },
  { deed: "assist", label: "Assistance", key: "F7", foot: true },
  { deed: "undo", label: "Undo field", key: "Alt+Backspace", foot: true },
  { deed: "aside", label: "Keep aside", key: "Alt+K", foot: true },
  { deed: "takeUp", label: "Take up", key: "Alt+U", foot: true },
  { deed: "find", label: "Find", key: "Alt+F", foot: true },
  { deed: "removeLine", label: "Remove the line", key: "Ctrl+Delete" },
  { deed: "doubleLine", label: "Double the line", key: "Ctrl+D" },
  { deed: "lineUp", label: "Line up", key: "Alt+ArrowUp" },
  { deed: "lineDown", label: "Line down", key: "Alt+ArrowDown" },
];

/** A key as it is kept: Ctrl+Alt+Shift+key, letters in capitals. */
export function nameOf(
  event: Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "altKey" | "shiftKey">,
): string {
  const key = event.key.length === 1 ? event.key.toUpperCase() : event.key;
  return [
    event.ctrlKey || event.metaKey ? "Ctrl" : "",
    event.altKey ? "Alt" : "",
    event.shiftKey ? "Shift" : "",
    key,
  ]
    .filter(Boolean)
    .join("+");
}

/** A key as people read it. */
export function shownKey(key: string): string {
  return key.replace("Arrow", "").replace("Backspace", "⌫").replaceAll("+", " ");
}

/** Why a key cannot be given to a deed; "": it can. */
export function unfit(key: string): string {
  const last = key.split("+").at(-1)!;
  if (["Control", "Alt", "Shift", "Meta", "Dead", "Process", "Unidentified"].includes(last)) return "";
  if (/^F\d+$/.test(last) || /^(Ctrl|Alt)\+/.test(key)) return "";
  return "Choose a function key, or one with Ctrl or Alt: any other is needed to key values.";
}

/** The keys of the person who is signed in; they are kept in this browser. */
export function useDeskKeys() {
  const session = useSession();
  const own = useLocalStorage<Record<string, Partial<Record<Deed, string>>>>("codicil-desk-keys", {});
  const mine = computed(() => own.value[session.person?.name ?? ""] ?? {});
  const keys = computed(() => standard.map((k) => ({ ...k, key: mine.value[k.deed] ?? k.key })));
  function change(deed: Deed, key: string) {
    const changed = { ...mine.value };
    const before = keys.value.find((k) => k.deed === deed)!.key;
    const other = keys.value.find((k) => k.key === key && k.deed !== deed);
    if (other) changed[other.deed] = before; // no key does two things
    changed[deed] = key;
    own.value = { ...own.value, [session.person?.name ?? ""]: changed };
  }
  const forget = () => (own.value = { ...own.value, [session.person?.name ?? ""]: {} });
  const deedOf = (event: KeyboardEvent) => keys.value.find((k) => k.key === nameOf(event))?.deed;
  return { keys, change, forget, deedOf };
}
