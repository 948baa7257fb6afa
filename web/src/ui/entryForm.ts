import { computed, ref, type Ref } from "vue";
import { useAttempt } from "@/ui/attempt";

export interface EntryWork<Entry> {
  /** A new entry to begin with. */
  blank: () => Entry;
  save: (entry: Entry, adding: boolean) => Promise<unknown>;
  remove: (entry: Entry) => Promise<unknown>;
  /** Fetches the list that the entries stand in. */
  reload: () => Promise<unknown>;
}

/** One entry of a table, changed as a copy beside the list until it is saved, left or deleted. */
export function useEntryForm<Entry>(work: EntryWork<Entry>) {
  const tried = useAttempt();
  const draft = ref() as Ref<Entry | undefined>;
  const adding = ref(false);

  function edit(entry?: Entry) {
    tried.problem.value = "";
    adding.value = !entry;
    draft.value = JSON.parse(JSON.stringify(entry ?? work.blank())) as Entry;
  }
  async function end(deed: () => Promise<unknown>) {
    if (!(await tried.attempt(deed))) return;
    draft.value = undefined;
    await reload();
  }
  const reload = () => tried.attempt(work.reload);
  const save = () => end(() => work.save(draft.value!, adding.value));
  const remove = () => end(() => work.remove(draft.value!));
  const leave = () => (draft.value = undefined);

  const { problem, uses, count, busy } = tried;
  const trouble = computed(() => ({ problem: problem.value, uses: uses.value, count: count.value }));
  return { draft, adding, busy, trouble, edit, save, remove, leave, reload };
}
