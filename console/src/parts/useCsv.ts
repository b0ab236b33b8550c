import { useState } from "react";
import { type CsvColumn, download, toCsv } from "../words/csv";
import { notifyFailure } from "./notify";

/** Saves rows as a CSV file; rows that are not at hand are fetched first. */
export function useCsv<T>(name: string, columns: CsvColumn<T>[]) {
  const [saving, setSaving] = useState(false);
  const save = async (rows: T[] | (() => Promise<T[]>)) => {
    setSaving(true);
    try {
      download(`${name}.csv`, toCsv(Array.isArray(rows) ? rows : await rows(), columns));
    } catch (error) {
      notifyFailure(error as Error);
    } finally {
      setSaving(false);
    }
  };
  return { save, saving };
}
