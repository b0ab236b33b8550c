import { Button } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { sendAgain } from "../api/noticeQueries";
import { CsvButton } from "../parts/CsvButton";
import { GridSheet } from "../parts/GridSheet";
import { notifySuccess } from "../parts/notify";
import { exactTime, relative } from "../words/format";
import { ABOUT_WORDS, IS_BAD, STATE_WORDS } from "./words";

type Notice = Schemas["NoticeView"];

const recipient = (n: Notice) => (n.way === "webhook" ? `webhook ${n.to}` : n.to);

export function NoticesTable({ notices }: { notices: Notice[] }) {
  const client = useQueryClient();
  const again = useMutation({
    mutationFn: (id: number) => sendAgain([id]),
    onSuccess: () => {
      notifySuccess("It goes out again");
      void client.invalidateQueries({ queryKey: ["notices"] });
    },
  });
  if (notices.length === 0) return <div className="sheet padded soft">Nobody was told of anything yet.</div>;
  return (
    <div>
      <GridSheet label="Notices">
        <table className="grid tall">
          <thead>
            <tr>
              <th scope="col">When</th>
              <th scope="col">About</th>
              <th scope="col">Batch</th>
              <th scope="col">To</th>
              <th scope="col">State</th>
              <th scope="col">Answer</th>
              <th scope="col">
                <span className="visually-hidden">Send again</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {notices.map((n) => (
              <tr key={n.id}>
                <td className="nowrap">{exactTime(n.endedAt ?? n.dueAt)}</td>
                <td className="nowrap">{ABOUT_WORDS[n.about]}</td>
                <td className="nowrap">{n.batch}</td>
                <td className="nowrap">{recipient(n)}</td>
                <td className="nowrap">
                  <State notice={n} />
                </td>
                <td>{n.answer}</td>
                <td className="nowrap">
                  <Button
                    size="compact-xs"
                    variant="default"
                    loading={again.isPending && again.variables === n.id}
                    onClick={() => again.mutate(n.id)}
                  >
                    {n.state === "due" ? "Try now" : "Send again"}
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </GridSheet>
      <CsvButton
        name="notices"
        rows={notices}
        columns={[
          { title: "at", value: (n) => n.endedAt ?? n.dueAt },
          { title: "about", value: (n) => n.about },
          { title: "batch", value: (n) => n.batch },
          { title: "account", value: (n) => n.account },
          { title: "to", value: recipient },
          { title: "state", value: (n) => n.state },
          { title: "attempts", value: (n) => n.attempts },
          { title: "answer", value: (n) => n.answer },
        ]}
      />
    </div>
  );
}

function State({ notice }: { notice: Notice }) {
  const word = STATE_WORDS[notice.state];
  if (IS_BAD.has(notice.state)) return <strong>! {word}</strong>;
  if (notice.state === "due" && notice.attempts > 0)
    return (
      <>
        … next try {relative(notice.dueAt)}, {notice.attempts} so far
      </>
    );
  return <>{notice.state === "sent" ? `✓ ${word}` : word}</>;
}
