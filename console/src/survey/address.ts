import type { Schemas } from "../api/client";
import { readSearch } from "../frame/searchInAddress";

/** Which accounts the survey page lists and in which order, and the finding that is open. */
export interface SurveyAddress {
  search?: string;
  sort?: Schemas["InventoryOrder"];
  down?: boolean;
  finding?: string;
}

const ORDERS: readonly Schemas["InventoryOrder"][] = [
  "name",
  "folders",
  "messages",
  "octets",
  "carry-octets",
  "newest-message",
  "largest-message",
  "findings",
];

export function readSurveyAddress(address: Record<string, unknown>): SurveyAddress {
  const sort = ORDERS.find((o) => o === address.sort);
  return {
    ...readSearch(address),
    sort,
    down: sort && address.down === true ? true : undefined,
    finding: typeof address.finding === "string" ? address.finding : undefined,
  };
}
