import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Move } from "./client";
import { mergeMoves } from "./queries";

/** Sums are asked for again at most this often while much is happening. */
const REST = 1500;

/** Listens to the service's events for as long as the page is open. True while connected. */
export function useLive(): boolean {
  const client = useQueryClient();
  const [connected, setConnected] = useState(true);
  useEffect(() => {
    const source = new EventSource("/api/v1/live");
    const refresh = restful(client);
    source.addEventListener("moves", (event) => {
      const moves = JSON.parse((event as MessageEvent<string>).data) as Move[];
      mergeMoves(client, moves);
      refresh.soon();
    });
    source.onopen = () => {
      setConnected(true);
      // What happened while nobody listened is not told again.
      void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
    };
    source.onerror = () => setConnected(false);
    return () => {
      source.close();
      refresh.stop();
    };
  }, [client]);
  return connected;
}

function restful(client: QueryClient) {
  let timer: ReturnType<typeof setTimeout> | undefined;
  return {
    soon() {
      timer ??= setTimeout(() => {
        timer = undefined;
        void client.invalidateQueries({
          predicate: (q) => !["session", "moves"].includes(String(q.queryKey[0])),
        });
      }, REST);
    },
    stop() {
      clearTimeout(timer);
    },
  };
}
