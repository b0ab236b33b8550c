import { Button, Group, Modal, TextInput } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { ApiError, type Move, type Schemas } from "../api/client";
import { keptQuery, takeBack, takeBackQuery } from "../api/noticeQueries";
import { DataTable } from "../parts/DataTable";
import { number, relative, time } from "../words/format";
import { KIND_WORDS } from "../words/states";

type Folder = Schemas["TakeBackFolder"];

const FOLDER_WORDS: Record<Folder["folder"], [done: string, check: string]> = {
  "not-ours": ["was there before", "was there before"],
  removed: ["removed", "would be removed"],
  "not-empty": ["stays, it holds something", "stays, it holds something"],
  refused: ["stays, its deletion was refused", "stays"],
  "not-there": ["was gone already", "is gone already"],
};

interface Props {
  move: Move;
  /** A pass of the move was one that took it back, or a dry run of it. */
  wasAsked: boolean;
}

/** What the move put on the new side can be taken back: looked at first, and confirmed by writing out the account. */
export function TakeBackBox({ move, wasAsked }: Props) {
  const client = useQueryClient();
  const [asks, setAsks] = useState(false);
  const ask = useMutation({
    mutationFn: (body: { isCheck: boolean; toAccount: string | null }) =>
      takeBack(move.batch, { move: move.account, ...body }),
    onSuccess: () => {
      setAsks(false);
      void client.invalidateQueries({ queryKey: ["take-back", move.batch, move.account] });
      void client.invalidateQueries({ queryKey: ["move", move.batch, move.account] });
    },
  });
  const last = useQuery({ ...takeBackQuery(move.batch, move.account), enabled: wasAsked || ask.isSuccess });
  const view = last.data;
  const hasCarried = move.stage !== "listed" && move.stage !== "surveyed";
  if (!view && !hasCarried) return null;
  return (
    <>
      <h2>Take back</h2>
      <div className="stack">
        <div className="sheet padded row spread">
          <div>
            {view ? <Told view={view} /> : "Is it in the wrong account? What the move put there can be removed again."}
          </div>
          {hasCarried && (
            <Group gap="sm">
              <Button
                size="xs"
                variant="default"
                loading={ask.isPending}
                onClick={() => ask.mutate({ isCheck: true, toAccount: null })}
              >
                See what it would do
              </Button>
              <Button size="xs" color="red" variant="outline" onClick={() => setAsks(true)}>
                Take back…
              </Button>
            </Group>
          )}
        </div>
        {ask.error && !asks && <Refused error={ask.error} />}
        {view && view.folders.length > 0 && <Folders view={view} />}
        {view?.endedAt && view.kept > 0 && <Kept move={move} />}
      </div>
      <Modal
        opened={asks}
        onClose={() => setAsks(false)}
        title={`Take back what was carried of ${move.name}`}
        size="lg"
      >
        {asks && (
          <Confirm
            account={move.toAccount}
            isPending={ask.isPending}
            error={ask.error}
            onConfirm={(toAccount) => ask.mutate({ isCheck: false, toAccount })}
          />
        )}
      </Modal>
    </>
  );
}

function Told({ view }: { view: Schemas["TakeBackView"] }) {
  const sums = [
    `${number(view.removed)} ${view.isCheck ? "would be removed" : "removed"}`,
    ...(view.restored > 0 ? [`${number(view.restored)} ${view.isCheck ? "would be" : ""} as before`] : []),
    `${number(view.kept)} ${view.kept === 1 ? "stays" : "stay"}`,
    `${number(view.notThere)} not there any more`,
  ].join(", ");
  return (
    <>
      <strong>{view.isCheck ? "Dry run" : "Taken back"}</strong> of {view.toAccount}, asked for by {view.askedBy}{" "}
      {relative(view.askedAt)}: {view.endedAt ? `${sums}. Ended ${time(view.endedAt)}.` : `under way, so far ${sums}.`}
      {view.endedAt && !view.isCheck && (
        <div className="soft">
          The move is as before its first pass, and held. Correct the roster or the rules, apply the plan, then resume
          and start it.
        </div>
      )}
      {view.endedAt && view.isCheck && (
        <div className="soft">Nothing was changed. The move is held until you resume it.</div>
      )}
    </>
  );
}

function Folders({ view }: { view: Schemas["TakeBackView"] }) {
  const count = (title: string, csv: string, of: (f: Folder) => number) => ({
    title,
    csv,
    value: of,
    cell: (f: Folder) => number(of(f)),
    number: true,
  });
  return (
    <DataTable
      label="Folders taken back"
      rows={view.folders}
      rowKey={(f) => `${f.kind} ${f.place}`}
      empty="Nothing was carried there."
      name="take-back"
      unit={["folder", "folders"]}
      columns={[
        { title: "On the new side", csv: "place", value: (f) => f.place },
        { title: "Kind", csv: "kind", value: (f) => KIND_WORDS[f.kind] },
        count(view.isCheck ? "Would be removed" : "Removed", "removed", (f) => f.removed),
        count("As before", "restored", (f) => f.restored),
        count("Stays", "kept", (f) => f.kept),
        count("Not there", "not_there", (f) => f.notThere),
        {
          title: "The folder itself",
          csv: "folder",
          value: (f) => FOLDER_WORDS[f.folder][view.isCheck ? 1 : 0],
          wide: true,
        },
      ]}
    />
  );
}

function Kept({ move }: { move: Move }) {
  const kept = useQuery(keptQuery(move.batch, move.account));
  if (!kept.data) return null;
  return (
    <DataTable
      label="What stays on the new side"
      rows={kept.data.items}
      rowKey={(k) => `${k.kind} ${k.place} ${k.title} ${k.because} ${kept.data.items.indexOf(k)}`}
      empty="Nothing stays."
      name="take-back-stays"
      unit={["item", "items"]}
      columns={[
        { title: "Stays", csv: "title", value: (k) => k.title ?? "(not readable)" },
        { title: "In", csv: "place", value: (k) => k.place },
        { title: "Because", csv: "why", value: (k) => k.why, wide: true },
      ]}
    />
  );
}

interface ConfirmProps {
  account: string;
  isPending: boolean;
  error: Error | null;
  onConfirm: (account: string) => void;
}

function Confirm({ account, isPending, error, onConfirm }: ConfirmProps) {
  const [typed, setTyped] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    onConfirm(typed.trim());
  };
  return (
    <form className="stack" onSubmit={send} autoComplete="off">
      <p>
        Everything that this move put into <strong>{account}</strong> is removed from there, where nobody changed it
        since and both sides prove that it is the same. What was there before stays. The old side is only read.
      </p>
      <TextInput
        label="Write out the account on the new side, to confirm"
        placeholder={account}
        value={typed}
        onChange={(e) => setTyped(e.currentTarget.value)}
        data-autofocus
      />
      {error && <Refused error={error} />}
      <div className="row">
        <Button
          type="submit"
          color="red"
          loading={isPending}
          disabled={typed.trim().toLowerCase() !== account.toLowerCase()}
        >
          Take back
        </Button>
      </div>
    </form>
  );
}

function Refused({ error }: { error: Error }) {
  return (
    <div className="error-note" role="alert">
      <p>
        <strong>{error.message}</strong>
      </p>
      {error instanceof ApiError && <p>{error.remedy}</p>}
    </div>
  );
}
