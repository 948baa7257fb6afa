import { disableAutoUnmount, enableAutoUnmount } from "@vue/test-utils";
import { afterEach, vi } from "vitest";
import { queryClient } from "@/queries/client";
import { endStores } from "./catalog";

// The modules of the client are loaded once for all tests: what a test leaves behind goes with it.
disableAutoUnmount(); // of the file before
enableAutoUnmount(afterEach);
afterEach(() => {
  endStores();
  vi.stubGlobal("fetch", () => new Promise(() => undefined)); // nothing asks a server that is not there
  vi.useRealTimers();
  queryClient.clear();
  localStorage.clear();
  sessionStorage.clear();
  document.body.innerHTML = "";
});
