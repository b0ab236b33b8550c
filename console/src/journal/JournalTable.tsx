import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { CsvButton } from "../parts/CsvButton";
import { GridSheet } from "../parts/GridSheet";
import { exactTime } from "../words/format";

interface Props {
  entries: Schemas["JournalEntry"][];
  /** Shows columns for batch and person; not needed on a page about one of them. */
  withPlace: boolean;
  name: string;
}

export function JournalTable({ entries, withPlace, name }: Props) {
  if (entries.length === 0) return <div className="sheet padded soft">Nothing here.</div>;
  return (
    <div>
      <GridSheet label="Journal">
        <table className="grid tall">
          <thead>
            <tr>
              <th scope="col">When</th>
              <th scope="col">Who</th>
              {withPlace && <th scope="col">Where</th>}
              <th scope="col">What</th>
            </tr>
          </thead>
          <tbody>
            {entries.map((e) => (
              <tr key={e.id}>
                <td className="nowrap">{exactTime(e.at)}</td>
                <td className="nowrap">{e.who}</td>
                {withPlace && (
                  <td className="nowrap">
                    {e.batch && e.account ? (
                      <Link to="/batches/$batch/moves/$account" params={{ batch: e.batch, account: e.account }}>
                        {e.account}
                      </Link>
                    ) : (
                      e.batch
                    )}
                  </td>
                )}
                <td>{e.text}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </GridSheet>
      <CsvButton
        name={name}
        rows={entries}
        columns={[
          { title: "at", value: (e) => e.at },
          { title: "who", value: (e) => e.who },
          { title: "batch", value: (e) => e.batch },
          { title: "account", value: (e) => e.account },
          { title: "text", value: (e) => e.text },
        ]}
      />
    </div>
  );
}
