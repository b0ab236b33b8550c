import { type QueryClient, type QueryKey, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Move } from "./client";
import { mergeMoves } from "./queries";

/** Sums are asked for again at most this often while much is happening, in milliseconds. */
const REST = 1500;

/** Answers about everything, into which every move counts. */
const OVERALL: ReadonlySet<unknown> = new Set(["today", "batches", "services", "journal"]);

/** Answers about one batch, named in their second place; of a move, its account comes third. */
const OF_A_BATCH: ReadonlySet<unknown> = new Set([
  "batch",
  "moves",
  "move",
  "survey",
  "findings",
  "inventory",
  "tidying",
  "estimate",
  "folders",
]);

/** Whether what is known under this key may have changed with moves of these batches. */
export function concerns(key: QueryKey, batches: ReadonlySet<string>, accounts?: ReadonlySet<string>): boolean {
  const [what, batch, account] = key;
  if (OVERALL.has(what)) return true;
  if (!OF_A_BATCH.has(what) || !batches.has(String(batch))) return false;
  return accounts === undefined || what !== "move" || accounts.has(String(account));
}

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
      refresh.soon(moves);
    });
    // Something that concerns everybody: another plan, or a decision for a route.
    source.addEventListener(
      "plan",
      () => void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" }),
    );
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

/** Asks again for what the moves of some moments concern, and for nothing else. */
function restful(client: QueryClient) {
  let timer: ReturnType<typeof setTimeout> | undefined;
  let batches = new Set<string>();
  let accounts = new Set<string>();
  return {
    soon(moves: Move[]) {
      for (const move of moves) {
        batches.add(move.batch);
        accounts.add(move.account);
      }
      timer ??= setTimeout(() => {
        const [ofBatches, ofAccounts] = [batches, accounts];
        [timer, batches, accounts] = [undefined, new Set(), new Set()];
        void client.invalidateQueries({ predicate: (q) => concerns(q.queryKey, ofBatches, ofAccounts) });
      }, REST);
    },
    stop() {
      clearTimeout(timer);
    },
  };
}
