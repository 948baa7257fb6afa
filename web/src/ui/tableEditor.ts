import { reactive, ref, toRef, type Ref } from "vue";
import { change } from "@/queries/client";
import type { Answer } from "@/api/client";
import { useAttempt } from "@/queries/attempt";

export interface TableWork<Entry> {
  /** A new entry to begin with. */
  blank: () => Entry;
  save: (entry: Entry, adding: boolean) => Promise<Answer<unknown>>;
  remove: (entry: Entry) => Promise<Answer<unknown>>;
  /** What has to be over before an entry is saved as it stands. */
  before?: () => Promise<unknown>;
}

/** One entry of a table, changed as a copy beside the list until it is saved, left or deleted. */
export function useTableEditor<Entry>(work: TableWork<Entry>) {
  const tried = useAttempt();
  const draft = ref() as Ref<Entry | undefined>;
  const adding = ref(false);

  function edit(entry?: Entry) {
    tried.forget();
    adding.value = !entry;
    draft.value = JSON.parse(JSON.stringify(entry ?? work.blank())) as Entry;
  }
  async function end(deed: () => Promise<unknown>) {
    const ended = draft.value;
    // Another entry that was opened meanwhile stays open.
    if ((await tried.attempt(deed)) && draft.value === ended) draft.value = undefined;
  }
  const save = () =>
    end(async () => {
      await work.before?.();
      await change(work.save(draft.value!, adding.value));
    });
  const remove = () => end(() => change(work.remove(draft.value!)));
  const leave = () => (draft.value = undefined);

  return reactive({
    draft,
    adding,
    busy: toRef(tried, "busy"),
    trouble: toRef(tried, "trouble"),
    edit,
    save,
    remove,
    leave,
  });
}

/** What the list and the form of a table need of its entries. */
export interface TableEditing {
  draft: unknown;
  adding: boolean;
  busy: boolean;
  trouble: { problem: string };
  edit: () => void;
  save: () => unknown;
  remove: () => unknown;
  leave: () => unknown;
}
