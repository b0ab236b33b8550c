import { Button, Group, VisuallyHidden } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { formsQuery } from "../api/collectionQueries";
import { Failure } from "../parts/Failure";
import { GridSheet } from "../parts/GridSheet";
import { Loading } from "../parts/Loading";
import { useActions } from "../parts/useActions";
import { sentence } from "../words/format";
import { VERSION_WORDS } from "./versionWords";

type Line = Schemas["FormLine"];

/** A contact or event that was left behind, as people read it, from both sides beside each other. */
export function ItemPage() {
  const { batch, account, item } = useParams({ from: "/batches/$batch/moves/$account/items/$item" });
  const forms = useQuery(formsQuery(batch, Number(item)));
  const { decision } = useActions(batch);
  if (forms.isPending) return <Loading />;
  if (forms.error) return <Failure error={forms.error} again={() => void forms.refetch()} />;
  const { leftBehind: left, hasNew, lines, old, new: fresh } = forms.data;
  const decide = (accept: boolean, keep?: Schemas["VersionWord"]) =>
    decision.mutate({ accept, moves: [left.account], items: [left.id], keep });
  return (
    <>
      <header>
        <div className="crumbs">
          <Link to="/batches/$batch" params={{ batch }}>
            {batch}
          </Link>{" "}
          /{" "}
          <Link to="/batches/$batch/moves/$account" params={{ batch, account }}>
            {account}
          </Link>
        </div>
        <h1>{left.subject || (left.kind === "contacts" ? "A contact without a name" : "An event without a name")}</h1>
        <p className="lede">
          {left.kind === "contacts" ? "A contact of" : "An entry of"} “{left.folder}”
        </p>
      </header>
      <div className="sheet padded stack">
        <div>
          <strong>{sentence(left.problem.what)}.</strong>
          <div className="soft">{left.problem.remedy}.</div>
        </div>
        {left.state === "open" ? (
          <Group gap="sm">
            {left.choices.map((version) => (
              <Button key={version} size="sm" loading={decision.isPending} onClick={() => decide(false, version)}>
                {VERSION_WORDS[version]}
              </Button>
            ))}
            <Button size="sm" variant="default" loading={decision.isPending} onClick={() => decide(false)}>
              Try again
            </Button>
            <Button size="sm" variant="default" loading={decision.isPending} onClick={() => decide(true)}>
              Accept
            </Button>
          </Group>
        ) : (
          <div className="good">
            ✓ {left.state === "accepted" ? `Accepted by ${left.acceptedBy}` : "The next pass sees to it"}
          </div>
        )}
      </div>
      <h2>Both sides</h2>
      <GridSheet label="Both sides">
        <table className="grid tall">
          <thead>
            <tr>
              <th scope="col">
                <VisuallyHidden>What</VisuallyHidden>
              </th>
              <th scope="col">Old side</th>
              <th scope="col">New side</th>
            </tr>
          </thead>
          <tbody>
            {lines.map((line, place) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: two lines may say the same, and none ever moves
              <tr key={place}>
                <th scope="row">{line.label}</th>
                <td style={{ whiteSpace: "pre-line" }}>{line.old ?? <span className="soft">–</span>}</td>
                <td style={{ whiteSpace: "pre-line" }}>
                  <OtherSide line={line} hasNew={hasNew} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </GridSheet>
      <details>
        <summary>As the services store it</summary>
        <div className="sides">
          <pre className="sheet padded">{old}</pre>
          <pre className="sheet padded">{fresh ?? "The new side has none."}</pre>
        </div>
      </details>
    </>
  );
}

/** That it differs is said in words, not by colour alone. */
function OtherSide({ line, hasNew }: { line: Line; hasNew: boolean }) {
  if (!hasNew) return <span className="soft">not there</span>;
  if (line.new === line.old) return <>{line.new}</>;
  if (line.new === null) return <strong className="bad">✕ missing</strong>;
  return (
    <>
      <strong className="bad">{line.old === null ? "+ only here: " : "≠ "}</strong>
      {line.new}
    </>
  );
}
