import { Checkbox, Group, TextInput } from "@mantine/core";
import type { Kind } from "../api/client";
import { KIND_WORDS } from "../words/states";

const KINDS: Kind[] = ["contacts", "calendars", "mail"];

/** What of an account is packed or put into another one. */
export interface Choice {
  kinds: Kind[];
  folders: string;
  leave: string;
  since: string;
  before: string;
}

export const ALL: Choice = { kinds: KINDS, folders: "", leave: "", since: "", before: "" };

const list = (text: string) =>
  text
    .split(",")
    .map((t) => t.trim())
    .filter((t) => t !== "");

/** As the service wants it: what is not said is all. */
export const chosen = (c: Choice) => ({
  kinds: c.kinds.length === KINDS.length ? null : c.kinds,
  folders: list(c.folders).length > 0 ? list(c.folders) : null,
  leave: list(c.leave).length > 0 ? list(c.leave) : null,
  since: c.since || null,
  before: c.before || null,
});

interface Props {
  value: Choice;
  /** Kinds that there are to choose from. */
  kinds?: Kind[];
  onChange: (choice: Choice) => void;
}

export function ChoiceFields({ value, kinds = KINDS, onChange }: Props) {
  const set = (part: Partial<Choice>) => onChange({ ...value, ...part });
  return (
    <>
      <Group gap="lg" role="group" aria-label="Kinds">
        {kinds.map((kind) => (
          <Checkbox
            key={kind}
            label={KIND_WORDS[kind]}
            checked={value.kinds.includes(kind)}
            onChange={(e) =>
              set({ kinds: e.currentTarget.checked ? [...value.kinds, kind] : value.kinds.filter((k) => k !== kind) })
            }
          />
        ))}
      </Group>
      {value.kinds.includes("mail") && (
        <>
          <TextInput
            label="Only these mail folders"
            description="Parted by commas, ** for all below one; empty: all"
            placeholder="INBOX, Projects/**"
            value={value.folders}
            onChange={(e) => set({ folders: e.currentTarget.value })}
          />
          <TextInput
            label="Without these mail folders"
            placeholder="Trash, Junk"
            value={value.leave}
            onChange={(e) => set({ leave: e.currentTarget.value })}
          />
          <Group grow>
            <TextInput
              type="date"
              label="Messages since"
              value={value.since}
              onChange={(e) => set({ since: e.currentTarget.value })}
            />
            <TextInput
              type="date"
              label="Messages before"
              value={value.before}
              onChange={(e) => set({ before: e.currentTarget.value })}
            />
          </Group>
        </>
      )}
    </>
  );
}
