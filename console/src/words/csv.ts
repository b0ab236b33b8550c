import { visible } from "./visible";

export interface CsvColumn<T> {
  title: string;
  value: (row: T) => string | number | null | undefined;
}

/** CSV as of RFC 4180. A leading sign is defused, so that a spreadsheet takes no name for a formula; marks that steer are shown. */
export function toCsv<T>(rows: T[], columns: CsvColumn<T>[]): string {
  const cell = (value: string | number | null | undefined) => {
    const given = value === null || value === undefined ? "" : String(value);
    let text = visible(given);
    if (typeof value === "string" && /^[=+\-@\t\r\n]/.test(given) && Number.isNaN(Number(given))) text = `'${text}`;
    return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  const lines = [columns.map((c) => cell(c.title)), ...rows.map((r) => columns.map((c) => cell(c.value(r))))];
  return `${lines.map((l) => l.join(",")).join("\r\n")}\r\n`;
}

export function download(name: string, text: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "text/csv" }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
