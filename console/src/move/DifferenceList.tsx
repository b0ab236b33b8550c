import { Button, Group } from "@mantine/core";
import type { Difference, DifferenceChoice } from "../api/client";
import { GridSheet } from "../parts/GridSheet";
import { useActions } from "../parts/useActions";
import { date, plural, sentence, size } from "../words/format";

const WORDS: Record<DifferenceChoice, string> = {
  "carry-again": "Carry again",
  "remove-second": "Remove the second copy",
  accept: "Accept",
};

const KINDS: Record<Difference["kind"], string> = {
  missing: "Missing",
  twice: "Twice",
  altered: "Altered",
  moved: "Moved",
  removed: "Removed by its owner",
  flags: "Flags",
};

/** Rows shown at first: there can be as many differences as the account has items. */
const MOST = 200;

/** Each item that is not on the new side as it is on the old, with what can be decided about it. */
export function DifferenceList({ batch, account, items }: { batch: string; account: string; items: Difference[] }) {
  const { differences } = useActions(batch);
  if (items.length === 0)
    return <div className="sheet padded good">Nothing differs, as far as the passes have looked.</div>;
  const decide = (choice: DifferenceChoice, ids: number[] | null) =>
    differences.mutate({ choice, moves: [account], items: ids, kind: null });
  const open = (choice: DifferenceChoice) => items.filter((i) => i.choices.includes(choice)).length;
  return (
    <div className="stack">
      <Group gap="sm">
        {(Object.keys(WORDS) as DifferenceChoice[]).map((choice) =>
          open(choice) > 1 ? (
            <Button
              key={choice}
              size="xs"
              variant="default"
              loading={differences.isPending}
              onClick={() => decide(choice, null)}
            >
              {WORDS[choice]}: all {open(choice)}
            </Button>
          ) : null,
        )}
      </Group>
      <GridSheet label="Differences between the sides">
        <table className="grid tall">
          <thead>
            <tr>
              <th scope="col">What</th>
              <th scope="col">In</th>
              <th scope="col" className="num">
                Size
              </th>
              <th scope="col">How it differs, and what to do</th>
              <th scope="col">Decision</th>
            </tr>
          </thead>
          <tbody>
            {items.slice(0, MOST).map((item) => (
              <tr key={item.id}>
                <td>
                  <strong>{item.subject || "(no subject)"}</strong>
                  <div className="soft">
                    {item.sender} {item.received && `· ${date(item.received)}`}
                  </div>
                </td>
                <td>{item.folder}</td>
                <td className="num nowrap">{size(item.size)}</td>
                <td>
                  <strong>{KINDS[item.kind]}:</strong> {sentence(item.what)}.<div className="soft">{item.remedy}.</div>
                </td>
                <td className="nowrap">
                  {item.choices.length > 0 && item.state === "open" ? (
                    <Group gap={6} wrap="nowrap">
                      {item.choices.map((choice) => (
                        <Button
                          key={choice}
                          size="xs"
                          variant="default"
                          loading={differences.isPending}
                          onClick={() => decide(choice, [item.id])}
                        >
                          {WORDS[choice]}
                        </Button>
                      ))}
                    </Group>
                  ) : (
                    stateWords(item)
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {items.length > MOST && (
          <p className="padded soft">
            And {plural(items.length - MOST, "item")} more: caravan differences {batch} lists all.
          </p>
        )}
      </GridSheet>
    </div>
  );
}

function stateWords(item: Difference): string {
  if (item.state === "accepted") return `Accepted by ${item.decidedBy}`;
  if (item.state === "remove") return "Will be removed by the next pass";
  return "Nothing to decide";
}
