import { Button, Group } from "@mantine/core";
import { Link } from "@tanstack/react-router";
import type { LeftBehind, Schemas } from "../api/client";
import { GridSheet } from "../parts/GridSheet";
import { useActions } from "../parts/useActions";
import { date, plural, sentence, size } from "../words/format";
import { VERSION_WORDS } from "./versionWords";

const WITHOUT_NAME: Record<LeftBehind["kind"], string> = {
  mail: "(no subject)",
  contacts: "(no name)",
  calendars: "(no title)",
};

/** True for a folder that was refused as a whole; it has no single message to show. */
const isFolder = (item: LeftBehind) => item.subject === "" && item.sender === "" && item.size === 0;

/** Each item with why it stayed and what can be done about it. */
export function LeftBehindList({ batch, items }: { batch: string; items: LeftBehind[] }) {
  const { decision } = useActions(batch);
  if (items.length === 0) return <div className="sheet padded good">Nothing was left behind.</div>;
  const decide = (item: LeftBehind, accept: boolean, keep?: Schemas["VersionWord"]) =>
    decision.mutate({ accept, moves: [item.account], items: [item.id], keep });
  return (
    <GridSheet label="Left behind">
      <table className="grid tall">
        <thead>
          <tr>
            <th scope="col">What</th>
            <th scope="col">In</th>
            <th scope="col" className="num">
              Size
            </th>
            <th scope="col">Why, and what to do</th>
            <th scope="col">Decision</th>
          </tr>
        </thead>
        <tbody>
          {items.map((item) => (
            <tr key={item.id}>
              <td>
                <strong>{isFolder(item) ? "The whole folder" : item.subject || WITHOUT_NAME[item.kind]}</strong>
                <div className="soft">
                  {isFolder(item)
                    ? plural(item.messages, "message")
                    : [item.sender, item.received && date(item.received)].filter(Boolean).join(" · ")}
                </div>
                {item.hasForms && (
                  <Link
                    to="/batches/$batch/moves/$account/items/$item"
                    params={{ batch, account: item.account, item: `${item.id}` }}
                  >
                    Look at both sides
                  </Link>
                )}
              </td>
              <td>{item.folder}</td>
              <td className="num nowrap">{isFolder(item) ? "" : size(item.size)}</td>
              <td>
                {sentence(item.problem.what)}.<div className="soft">{item.problem.remedy}.</div>
              </td>
              <td className="nowrap">
                {item.state === "open" ? (
                  <Group gap={6} style={{ maxWidth: 330 }}>
                    {item.choices.map((version) => (
                      <Button
                        key={version}
                        size="xs"
                        variant="default"
                        onClick={() => decide(item, false, version)}
                        loading={decision.isPending}
                      >
                        {VERSION_WORDS[version]}
                      </Button>
                    ))}
                    <Button
                      size="xs"
                      variant="default"
                      onClick={() => decide(item, false)}
                      loading={decision.isPending}
                    >
                      Try again
                    </Button>
                    <Button size="xs" variant="default" onClick={() => decide(item, true)} loading={decision.isPending}>
                      Accept
                    </Button>
                  </Group>
                ) : item.state === "accepted" ? (
                  `Accepted by ${item.acceptedBy}${item.acceptedBecause ? `: ${item.acceptedBecause}` : ""}`
                ) : (
                  "Will be tried again"
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </GridSheet>
  );
}
