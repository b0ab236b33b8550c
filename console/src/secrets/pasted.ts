import type { Schemas } from "../api/client";

/** Lines as spreadsheets give them: who, a tab, comma or semicolon, and the password, which may hold any of these again. */
export function readPasted(text: string): Schemas["SecretGiven"][] {
  return text
    .split(/\r?\n/)
    .map((line) => /^\s*([^\t,;]+?)\s*[\t,;]\s?(.+)$/.exec(line))
    .filter((match) => match !== null)
    .map(([, who, secret]) => ({ who: who ?? "", secret: secret ?? "", login: null }));
}
