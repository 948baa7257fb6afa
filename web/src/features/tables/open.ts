import { ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

/** Which entry of a table is open, as the address has it; undefined none, blank a new one. */
export function useOpen(param: string) {
  const route = useRoute();
  const router = useRouter();
  const key = () => {
    const now = route.query[param];
    return now === undefined ? undefined : String(now ?? "");
  };
  function open(to?: string) {
    void router.replace({ query: to === undefined ? {} : { [param]: to } });
  }
  /** Which editing this is: the first saving gives what is new its address, and is no new editing. */
  const editing = ref(0);
  let savedAs: string | undefined;
  watch(key, (now) => {
    if (now !== savedAs) editing.value++;
    savedAs = undefined;
  });
  function saved(to: string) {
    if (to !== key()) savedAs = to;
    open(to);
  }
  return { key, open, editing, saved };
}
