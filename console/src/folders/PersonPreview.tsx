import { useQuery } from "@tanstack/react-query";
import { foldersQuery, tryRules } from "../api/surveyQueries";
import { DataTable } from "../parts/DataTable";
import { Failure } from "../parts/Failure";
import { number } from "../words/format";

interface Props {
  batch: string;
  account: string;
  /** Rules to try; null: those in force. */
  whatIf: string | null;
}

/** Folder by folder for one person. */
export function PersonPreview({ batch, account, whatIf }: Props) {
  const inForce = useQuery({ ...foldersQuery(batch, account), enabled: whatIf === null });
  const tried = useQuery({
    queryKey: ["what-if", batch, account, whatIf],
    queryFn: () => tryRules(batch, whatIf ?? "", account),
    enabled: whatIf !== null,
    retry: false,
  });
  const preview = whatIf === null ? inForce : tried;
  if (preview.error) return <Failure error={preview.error} again={() => void preview.refetch()} />;
  if (!preview.data) return null;
  return (
    <section aria-label={`Folders of ${account}`}>
      <p>
        <strong>{account}:</strong> {preview.data.summary}.
      </p>
      <DataTable
        label={`Folders of ${account}, one by one`}
        rows={preview.data.landings}
        rowKey={(l) => l.from}
        empty="No folder."
        name={`folders-${account}`}
        unit={["folder", "folders"]}
        columns={[
          { title: "From", csv: "from", value: (l) => l.from, wide: true },
          {
            title: "Messages",
            csv: "messages",
            value: (l) => l.messages,
            cell: (l) => number(l.messages),
            number: true,
          },
          {
            title: "To",
            csv: "to",
            value: (l) => l.to,
            cell: (l) => l.to ?? <span className="soft">stays behind</span>,
            wide: true,
          },
          {
            title: "Carried",
            csv: "carry_messages",
            value: (l) => l.carryMessages,
            cell: (l) => number(l.carryMessages),
            number: true,
          },
          { title: "By", csv: "rule", value: (l) => l.rule, wide: true },
          { title: "Note", csv: "note", value: (l) => l.note, wide: true },
        ]}
      />
    </section>
  );
}
