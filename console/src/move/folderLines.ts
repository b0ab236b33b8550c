import type { Kind, Schemas } from "../api/client";

type Sums = Schemas["FolderView"];
type Landing = Schemas["LandingView"];

/** One folder of a move, by what the survey and the passes know of it. */
export interface FolderLine {
  kind: Kind;
  from: string;
  /** Null: it stays behind. */
  to: string | null;
  /** The rule of the plan that decided, in words; null where it keeps its own place. */
  rule: string | null;
  note: string | null;
  /** Messages on the old side: as the last pass saw them, or else the survey. */
  found: number;
  /** Null until a pass has looked at it. */
  sums: Sums | null;
}

/** Rules that nobody wrote and nobody has to be told: the folder keeps its name. */
const UNTOLD: ReadonlySet<string> = new Set(["same name", "inbox to inbox"]);

/**
 * Each folder once. Where a folder landed counts, not where the rules of today would send it: rules that changed since then are told by
 * a line of their own for the place that they send it to.
 */
export function folderLines(folders: Sums[], landings: Landing[]): FolderLine[] {
  const planned = new Map(landings.map((l) => [key(l.from, l.to), l]));
  const settled = folders.map((f): FolderLine => {
    const landing = f.kind === "mail" ? planned.get(key(f.from, f.to)) : undefined;
    return line(f.kind, f.from, f.to, landing, f.counts.found, f);
  });
  const known = new Set(folders.filter((f) => f.kind === "mail").map((f) => key(f.from, f.to)));
  const ahead = landings
    .filter((l) => !known.has(key(l.from, l.to)))
    .map((l) => line("mail", l.from, l.to, l, l.messages, null));
  return [...settled, ...ahead].sort(
    (a, b) => ORDER.indexOf(a.kind) - ORDER.indexOf(b.kind) || place(a) - place(b) || a.from.localeCompare(b.from),
  );
}

const ORDER: Kind[] = ["contacts", "calendars", "mail"];

/** The inbox comes first, as its owner's program shows it. */
const place = (l: FolderLine) => (l.from === "INBOX" ? 0 : 1);

const key = (from: string, to: string | null | undefined) => `${from}\n${to ?? ""}`;

const line = (
  kind: Kind,
  from: string,
  to: string | null,
  landing: Landing | undefined,
  found: number,
  sums: Sums | null,
): FolderLine => ({
  kind,
  from,
  to,
  rule: landing && !UNTOLD.has(landing.rule) ? landing.rule : null,
  note: landing?.note ?? null,
  found,
  sums,
});
