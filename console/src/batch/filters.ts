import type { Condition, Schemas, Stage } from "../api/client";
import { readSearch } from "../frame/searchInAddress";
import type { Sort } from "../parts/Grid";
import { CONDITIONS, STAGE_WORDS } from "../words/states";

/** Which people of a batch are shown and in which order: in the address, so that it can be kept, sent and gone back to. */
export interface Filters {
  search?: string;
  stage?: Stage;
  condition?: Condition;
  needsYou?: boolean;
  sort?: Schemas["MoveOrder"];
  down?: boolean;
}

const ORDERS: Record<Exclude<Schemas["MoveOrder"], "roster">, true> = {
  name: true,
  account: true,
  stage: true,
  condition: true,
  found: true,
  carried: true,
  "left-behind": true,
  undecided: true,
  octets: true,
};

/** What an address says, words that mean nothing left out. */
export function readFilters(address: Record<string, unknown>): Filters {
  const word = <T extends string>(value: unknown, known: Record<T, unknown>) =>
    typeof value === "string" && Object.hasOwn(known, value) ? (value as T) : undefined;
  const sort = word(address.sort, ORDERS);
  return {
    ...readSearch(address),
    stage: word(address.stage, STAGE_WORDS),
    condition: word(address.condition, CONDITIONS),
    needsYou: address.needsYou === true ? true : undefined,
    sort,
    down: sort && address.down === true ? true : undefined,
  };
}

export const sortOf = (filters: Filters): Sort | null =>
  filters.sort ? { by: filters.sort, down: filters.down === true } : null;

/** As the service takes it for an action. */
export const whereOf = (filters: Filters): Schemas["MoveFilter"] => ({
  search: filters.search ?? null,
  stage: filters.stage ?? null,
  condition: filters.condition ?? null,
  needsYou: filters.needsYou === true,
});

export const isFiltered = (filters: Filters) =>
  Boolean(filters.search || filters.stage || filters.condition || filters.needsYou);
