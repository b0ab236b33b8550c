import { Button } from "@mantine/core";
import { IconEye } from "@tabler/icons-react";
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { batchQuery } from "../api/queries";
import { estimateQuery, findingsQuery, surveyQuery, tidyingQuery } from "../api/surveyQueries";
import { BatchTabs } from "../batch/BatchTabs";
import { Failure } from "../parts/Failure";
import { Loading } from "../parts/Loading";
import { useActions } from "../parts/useActions";
import { relative } from "../words/format";
import { EstimatePicture } from "./EstimatePicture";
import { FindingCard } from "./FindingCard";
import { HeaviestTable } from "./HeaviestTable";
import { InventoryTable } from "./InventoryTable";
import { SizeBars } from "./SizeBars";
import { SurveyFigures } from "./SurveyFigures";
import { TidyingTable } from "./TidyingTable";

/** What is there, what will not fit, and how long it takes: before anything moves. */
export function SurveyPage() {
  const { batch: name } = useParams({ from: "/batches/$batch/survey" });
  const batch = useQuery(batchQuery(name));
  const survey = useQuery(surveyQuery(name));
  const findings = useQuery(findingsQuery(name));
  const tidying = useQuery(tidyingQuery(name));
  const estimate = useQuery(estimateQuery(name));
  const { action } = useActions(name);
  const error = batch.error ?? survey.error ?? findings.error ?? tidying.error ?? estimate.error;
  if (error) return <Failure error={error} again={() => void survey.refetch()} />;
  if (!batch.data || !survey.data || !findings.data || !tidying.data || !estimate.data) return <Loading />;
  const data = survey.data;
  const kinds = data.kinds.map((k) => k.kind).filter((k) => k !== "mail");
  const looked = data.surveyed + data.closed;
  const first = data.oldest ? `, the first ${relative(data.oldest)}` : "";
  return (
    <>
      <header>
        <div className="crumbs">
          <Link to="/batches">Batches</Link>
        </div>
        <div className="row spread">
          <h1>{name}</h1>
          <Button
            leftSection={<IconEye size={16} aria-hidden />}
            variant={looked === 0 ? "filled" : "default"}
            loading={action.isPending}
            onClick={() => action.mutate({ name: "survey", moves: null })}
          >
            {looked === 0 ? "Look at both sides" : "Look again"}
          </Button>
        </div>
        <p className="lede">
          {looked === 0
            ? "Nobody has looked yet. A survey reads both accounts of everybody and changes nothing."
            : `${data.surveyed} of ${data.people} looked at${first}. ${batch.data.doing}.`}
        </p>
        <BatchTabs batch={name} />
      </header>
      {looked > 0 && (
        <>
          <SurveyFigures survey={data} />
          <h2>Findings</h2>
          {findings.data.length === 0 ? (
            <div className="sheet padded good">Nothing to decide: everything fits as it is.</div>
          ) : (
            <div className="sheet">
              {findings.data.map((group) => (
                <FindingCard key={group.code} batch={name} group={group} />
              ))}
            </div>
          )}
          <h2>How long the first passes take</h2>
          <EstimatePicture estimate={estimate.data} />
          <h2>Tidying before the move</h2>
          <TidyingTable batch={name} savings={tidying.data} />
          <h2>Accounts by size</h2>
          <SizeBars sizes={data.sizes} />
          <h2>The heaviest</h2>
          <HeaviestTable batch={name} accounts={data.heaviest} kinds={kinds} />
          <h2>Everybody</h2>
          <InventoryTable batch={name} kinds={kinds} />
        </>
      )}
    </>
  );
}
