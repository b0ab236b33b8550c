import { type QueryKey, useQueries } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";

/** One page of a list that the service keeps. */
export interface PageOf<T> {
  items: T[];
  next: string | null;
  total: number | null;
}

export type FetchPage<T> = (skip: number, limit: number) => Promise<PageOf<T>>;

/** Page size while scrolling, in rows. */
const SIZE = 100;
/** Page size when the whole list is fetched: the largest that the service accepts. */
const LARGEST = 1000;

/** Fetches the rows of a long list as they are scrolled into view. */
export function usePages<T>(key: QueryKey, fetch: FetchPage<T>) {
  const [sight, setSight] = useState({ first: 0, last: 0 });
  const from = Math.floor(sight.first / SIZE);
  const to = Math.floor(sight.last / SIZE);
  const pages = useQueries({
    queries: Array.from({ length: to - from + 1 }, (_, i) => ({
      queryKey: [...key, from + i],
      queryFn: () => fetch((from + i) * SIZE, SIZE),
      // While another search or order is loading, the rows of the previous one stay visible.
      placeholderData: (old: PageOf<T> | undefined, before: { queryKey: QueryKey } | undefined) =>
        before?.queryKey.at(-1) === from + i ? old : undefined,
    })),
  });
  const onSight = useCallback(
    (first: number, last: number) =>
      setSight((old) => (old.first === first && old.last === last ? old : { first, last })),
    [],
  );
  // The last known total is kept while pages load: otherwise the list would be empty for a moment and scroll back to its top.
  const known = useRef<number>(undefined);
  const total = pages.find((p) => p.data)?.data?.total ?? known.current;
  known.current = total;
  return {
    total,
    /** False while the visible rows still belong to the previous search or order. */
    isFresh: pages.every((p) => p.data !== undefined && !p.isPlaceholderData),
    row: (place: number): T | undefined => pages[Math.floor(place / SIZE) - from]?.data?.items[place % SIZE],
    error: pages.find((p) => p.error)?.error ?? null,
    again: () => void Promise.all(pages.map((p) => p.refetch())),
    onSight,
  };
}

/** Every row of a list, for a file. */
export async function fetchAll<T>(fetch: FetchPage<T>): Promise<T[]> {
  const all: T[] = [];
  for (;;) {
    const page = await fetch(all.length, LARGEST);
    all.push(...page.items);
    if (page.next === null || page.items.length === 0) return all;
  }
}

/** The same of a list whose pages follow one another by the service's own word for the next. */
export async function followAll<T>(
  fetch: (cursor: string | undefined, limit: number) => Promise<PageOf<T>>,
): Promise<T[]> {
  const all: T[] = [];
  for (let cursor: string | undefined; ; ) {
    const page = await fetch(cursor, LARGEST);
    all.push(...page.items);
    if (page.next === null || page.items.length === 0) return all;
    cursor = page.next;
  }
}
