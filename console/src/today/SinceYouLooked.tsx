import { Button } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { rememberLooked } from "../api/timetableQueries";
import { notifyFailure } from "../parts/notify";
import { number, plural, relative, size, time } from "../words/format";

/** What happened since somebody last looked; they say themselves when they have seen it. */
export function SinceYouLooked({ since }: { since: Schemas["SinceView"] }) {
  const client = useQueryClient();
  const looked = useMutation({
    mutationFn: rememberLooked,
    onSuccess: () => client.invalidateQueries({ queryKey: ["today"] }),
    onError: notifyFailure,
  });
  return (
    <div className="sheet padded stack">
      <div className="row spread">
        <div>
          {since.last ? (
            <>
              Since you last looked, {time(since.last)} ({relative(since.last)}):{" "}
            </>
          ) : (
            "In the last seven days: "
          )}
          <strong>{plural(since.carried, "item")} carried</strong> ({size(since.octets)}) in{" "}
          {plural(since.passes, "pass", "passes")}; {number(since.cameInStep)} came in step;{" "}
          {plural(since.leftBehind, "item")} newly left behind; {plural(since.failed, "problem")} met.
        </div>
        <Button variant="default" loading={looked.isPending} onClick={() => looked.mutate()}>
          I have seen this
        </Button>
      </div>
      {since.byPeople.length > 0 && (
        <details>
          <summary>{plural(since.byPeople.length, "thing")} that people asked for</summary>
          <ul className="plain">
            {since.byPeople.map((e) => (
              <li key={`${e.at} ${e.who} ${e.text} ${e.batch} ${e.account}`}>
                <span className="soft">{time(e.at)}</span> {e.who} {e.text}
                <span className="soft">{whereOf(e)}</span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  );
}

function whereOf({ batch, account, moves }: Schemas["AskedByPeople"]): string {
  if (!batch) return "";
  if (account) return ` (${account}, ${batch})`;
  return moves > 0 ? ` (${number(moves)} of ${batch})` : ` (${batch})`;
}
