/** What is looked for in a list, as it stands in the address. */
export const readSearch = (address: Record<string, unknown>): { search?: string } => {
  const search = typeof address.search === "string" || typeof address.search === "number" ? `${address.search}` : "";
  return { search: search === "" ? undefined : search };
};
