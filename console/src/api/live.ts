import { type QueryClient, type QueryKey, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Move } from "./client";
import { mergeMoves } from "./queries";

/** While many events arrive, sums are fetched at most this often, in milliseconds. */
const REST = 1500;

/** Query keys of answers that sum up all moves: any event makes them stale. */
const OVERALL: ReadonlySet<unknown> = new Set(["today", "batches", "services", "journal", "parcels"]);

/** Query keys of answers about one batch: the batch is the second part of the key; for a move, its account is the third. */
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
  "timetable",
  "history",
  "take-back",
  "crossing",
  "crossing-moves",
  "aftercare",
  "writers",
]);

/** Whether the answer under this query key may be stale after events about these moves. */
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
    // This event concerns every page: a plan was applied, or a decision was made for a route.
    source.addEventListener(
      "plan",
      () => void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" }),
    );
    source.onopen = () => {
      setConnected(true);
      // The service does not repeat events, so everything is fetched again after a reconnect.
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

/** Fetches again only the answers that the collected events concern. */
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
