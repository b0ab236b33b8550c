import { Button, Group } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { askCorrespondents, correspondentsQuery } from "../api/crossingQueries";
import { DataTable } from "../parts/DataTable";
import { Failure } from "../parts/Failure";
import { notifyFailure, notifySuccess } from "../parts/notify";
import { number, plural, time } from "../words/format";

interface Props {
  batch: string;
  people: Schemas["AftercareView"][];
}

/** With whom people exchange mail, and the note that tells them of the new address. */
export function Correspondents({ batch, people }: Props) {
  const client = useQueryClient();
  const found = useQuery(correspondentsQuery(batch));
  const ask = useMutation({
    mutationFn: (name: Schemas["CorrespondenceAsk"]) =>
      askCorrespondents(batch, { ask: name, moves: null, days: null, because: null, leave: null }),
    onSuccess: (answer, name) => {
      notifySuccess(
        name === "count"
          ? `Counting for ${plural(answer.accounts.length, "person", "people")}`
          : `A draft is put into ${plural(answer.accounts.length, "mailbox", "mailboxes")}, to ${plural(answer.notes, "person", "people")}`,
      );
      void client.invalidateQueries({ queryKey: ["aftercare", batch] });
      void client.invalidateQueries({ queryKey: ["correspondents", batch] });
    },
    onError: notifyFailure,
  });
  const moved = people.filter((p) => p.account !== p.toAccount);
  if (moved.length === 0) return null;
  if (found.error) return <Failure error={found.error} again={() => void found.refetch()} />;
  const rows = found.data ?? [];
  const open = rows.filter((r) => r.getsNote && !r.note).length;
  return (
    <>
      <div className="row spread">
        <h2>Who should learn of the new address</h2>
        <Group gap="sm">
          <Button variant="default" loading={ask.isPending} onClick={() => ask.mutate("count")}>
            Count with whom they exchange mail
          </Button>
          {open > 0 && (
            <Button variant="default" loading={ask.isPending} onClick={() => ask.mutate("draft")}>
              Put a note among their drafts
            </Button>
          )}
        </Group>
      </div>
      <DataTable
        label="correspondents"
        name={`${batch}-correspondents`}
        unit={["correspondent", "correspondents"]}
        rows={rows}
        rowKey={(r) => `${r.account} ${r.address}`}
        empty="Nobody has counted yet with whom these people exchange mail."
        columns={[
          { title: "Whose", csv: "account", value: (r) => r.account, wide: true },
          { title: "Exchanges mail with", csv: "correspondent", value: (r) => r.correspondentName, wide: true },
          { title: "Address", csv: "address", value: (r) => r.address, wide: true },
          {
            title: "Received",
            csv: "received",
            value: (r) => r.received,
            cell: (r) => number(r.received),
            number: true,
          },
          { title: "Sent", csv: "sent", value: (r) => r.sent, cell: (r) => number(r.sent), number: true },
          { title: "Last", csv: "last_at", value: (r) => r.lastAt, cell: (r) => time(r.lastAt) },
          { title: "Note", csv: "note", value: (r) => r.note, cell: noteOf },
        ]}
      />
    </>
  );
}

function noteOf(row: Schemas["CorrespondentView"]): string {
  if (row.note) return NOTES[row.note];
  if (row.isColleague) return "colleague";
  return row.getsNote ? "" : "one way";
}

const NOTES: Record<NonNullable<Schemas["NoteWord"]>, string> = {
  wanted: "to be written",
  sending: "handed over, unclear",
  sent: "sent",
  refused: "not taken",
  drafted: "in a draft",
};
