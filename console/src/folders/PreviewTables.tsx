import { useState } from "react";
import type { Schemas } from "../api/client";
import { DataTable } from "../parts/DataTable";
import { number } from "../words/format";
import { PeopleTable } from "./PeopleTable";
import { PersonPreview } from "./PersonPreview";

/** What the folder rules do: in sum for each rule, and for each person. */
export function PreviewTables({ preview, whatIf }: { preview: Schemas["FolderPreview"]; whatIf: string | null }) {
  const [person, setPerson] = useState<string | null>(null);
  if (preview.surveyed === 0)
    return (
      <div className="sheet padded soft">
        Nobody was looked at yet: take a survey first, on the page beside this one.
      </div>
    );
  return (
    <div className="stack">
      <div>
        <strong>{preview.summary}.</strong>{" "}
        <span className="soft">Of {number(preview.surveyed)} people looked at.</span>
      </div>
      <DataTable
        label="Folders by rule"
        rows={preview.rules}
        rowKey={(r) => `${r.rule} ${r.leaves}`}
        empty="No folder is known yet."
        name={`rules-${preview.batch}`}
        unit={["rule", "rules"]}
        columns={[
          { title: "Decided by", csv: "rule", value: (r) => r.rule, wide: true },
          { title: "Outcome", csv: "leaves", value: (r) => (r.leaves ? "stay behind" : "land") },
          { title: "Folders", csv: "folders", value: (r) => r.folders, cell: (r) => number(r.folders), number: true },
          {
            title: "Messages",
            csv: "messages",
            value: (r) => r.messages,
            cell: (r) => number(r.messages),
            number: true,
          },
        ]}
      />
      <PeopleTable batch={preview.batch} whatIf={whatIf} onPerson={setPerson} />
      {person && <PersonPreview batch={preview.batch} account={person} whatIf={whatIf} />}
    </div>
  );
}
