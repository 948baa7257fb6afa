import { useRouter, type RouteLocationRaw } from "vue-router";

/**
 * Goes on to where the answer to something is shown. Begun before the answer is asked for: whoever went
 * elsewhere meanwhile stays there. Tells whether it went.
 */
export function useGoOn() {
  const router = useRouter();
  return () => {
    const from = router.currentRoute.value.fullPath;
    return async (to: RouteLocationRaw): Promise<boolean> => {
      if (router.currentRoute.value.fullPath !== from) return false;
      await router.push(to);
      return true;
    };
  };
}
