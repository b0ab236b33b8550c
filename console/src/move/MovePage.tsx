import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { ApiError } from "../api/client";
import { journalQuery, moveQuery } from "../api/queries";
import { foldersQuery, personQuery } from "../api/surveyQueries";
import { JournalTable } from "../journal/JournalTable";
import { Failure } from "../parts/Failure";
import { KindTable } from "../parts/KindTable";
import { Loading } from "../parts/Loading";
import { ProblemNote } from "../parts/ProblemNote";
import { TakeBackBox } from "../takeback/TakeBackBox";
import { number } from "../words/format";
import { KIND_WORDS } from "../words/states";
import { ComparisonBox } from "./ComparisonBox";
import { DifferenceList } from "./DifferenceList";
import { FoldersTable } from "./FoldersTable";
import { LeftBehindList } from "./LeftBehindList";
import { LegState } from "./LegState";
import { MoveActions } from "./MoveActions";
import { PassesTable } from "./PassesTable";
import { Road } from "./Road";
import { SurveySummary } from "./SurveySummary";
import { WhereItStands } from "./WhereItStands";

/** Nobody has looked at the account yet, so nothing is known of its folders. */
const isUnseen = (error: Error) => error instanceof ApiError && error.status === 404;

/** One person's trip: where they stand and why, and the proof. */
export function MovePage() {
  const { batch, account } = useParams({ from: "/batches/$batch/moves/$account" });
  const detail = useQuery(moveQuery(batch, account));
  const person = useQuery(personQuery(batch, account));
  const preview = useQuery(foldersQuery(batch, account));
  const journal = useInfiniteQuery(journalQuery({ batch, account }));
  // Shown only when all of it is loaded: otherwise the page would grow in the middle and move the buttons.
  if (detail.isPending || person.isPending || preview.isPending) return <Loading />;
  if (detail.error) return <Failure error={detail.error} again={() => void detail.refetch()} />;
  const { move, folders, passes, leftBehind, differences, comparison, closes, sentence, shaped } = detail.data;
  const ofLegs = move.legs.flatMap((leg) => (leg.problem ? [{ kind: leg.kind, problem: leg.problem }] : []));
  const problems = ofLegs.length > 0 || !move.problem ? ofLegs : [{ kind: null, problem: move.problem }];
  return (
    <>
      <header>
        <div className="crumbs">
          <Link to="/batches">Batches</Link> /{" "}
          <Link to="/batches/$batch" params={{ batch }}>
            {batch}
          </Link>
        </div>
        <div className="row spread">
          <h1>{move.name}</h1>
          <MoveActions move={move} />
        </div>
        <p className="lede">
          {move.account} → {move.toAccount}
          {move.note && ` · ${move.note}`}
        </p>
      </header>
      <div className="sheet padded stack">
        <Road stage={move.stage} surveyed={person.data != null} />
        <WhereItStands move={move} />
        {problems.map(({ kind, problem }) => (
          <ProblemNote
            key={kind}
            about={move.legs.length > 1 && kind ? KIND_WORDS[kind] : undefined}
            problem={problem}
          />
        ))}
        <KindTable kinds={move.legs} state={{ title: "State", of: (leg) => <LegState leg={leg} /> }} />
      </div>
      <SurveySummary batch={batch} account={account} />
      <h2>Left behind</h2>
      <LeftBehindList batch={batch} items={leftBehind} />
      <h2>Differences between the sides</h2>
      <div className="stack">
        <ComparisonBox move={move} last={comparison} />
        <DifferenceList batch={batch} account={account} items={differences} />
      </div>
      <h2>Waybill: where everything lands, and its sums</h2>
      <p className={closes ? "good" : undefined}>
        {closes ? "✓ " : "… "}
        {sentence}
      </p>
      {shaped.map((s) => (
        <p key={`${s.kind} ${s.shaping}`} className="soft">
          {KIND_WORDS[s.kind]}: {number(s.items)} changed by “{s.shaping}”, as the route allows, so that the new side
          took them.
        </p>
      ))}
      {preview.error && !isUnseen(preview.error) && (
        <p className="soft">Where folders land under the rules of today cannot be shown: {preview.error.message}</p>
      )}
      <FoldersTable account={account} folders={folders} landings={preview.data?.landings ?? []} />
      <TakeBackBox move={move} wasAsked={passes.some((p) => p.kind === "take-back" || p.kind === "take-back-check")} />
      <h2>Passes</h2>
      <PassesTable passes={passes} />
      <h2>Journal</h2>
      {journal.data && (
        <JournalTable
          entries={journal.data.pages.flatMap((p) => p.items)}
          withPlace={false}
          name={`journal-${account}`}
        />
      )}
    </>
  );
}
