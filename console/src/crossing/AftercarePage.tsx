import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { aftercareQuery, writersQuery } from "../api/crossingQueries";
import { BatchTabs } from "../batch/BatchTabs";
import { DataTable } from "../parts/DataTable";
import { Failure } from "../parts/Failure";
import { Loading } from "../parts/Loading";
import { date, number, relative, sentence, time } from "../words/format";
import { Correspondents } from "./Correspondents";
import { probeWords } from "./words";

/** The time after the crossing: forwarding, probes, and who still writes to the old address. */
export function AftercarePage() {
  const { batch } = useParams({ from: "/batches/$batch/aftercare" });
  const people = useQuery(aftercareQuery(batch));
  const writers = useQuery(writersQuery(batch));
  const error = people.error ?? writers.error;
  if (error) return <Failure error={error} again={() => void people.refetch()} />;
  if (!people.data || !writers.data) return <Loading />;
  const most = [...people.data].sort((a, b) => b.messages - a.messages)[0];
  return (
    <>
      <header>
        <div className="crumbs">
          <Link to="/batches">Batches</Link>
        </div>
        <h1>{batch}</h1>
        <p className="lede">
          {most && most.messages > 0
            ? `If forwarding ended now: ${sentence(most.ifEnded)}.`
            : "Old mailboxes are looked at for stragglers, and forwarding is tried every day."}
        </p>
        <BatchTabs batch={batch} />
      </header>
      <p>
        <a href={`/api/v1/batches/${encodeURIComponent(batch)}/waybill/page`} target="_blank" rel="noreferrer">
          The waybill for paper
        </a>
      </p>
      <h2>Who has crossed</h2>
      <DataTable
        label="people who have crossed"
        name={`${batch}-aftercare`}
        unit={["person", "people"]}
        rows={people.data}
        rowKey={(p) => p.account}
        empty="Nobody of this batch has crossed yet."
        columns={[
          { title: "Name", csv: "name", value: (p) => p.name, wide: true },
          { title: "Old address", csv: "account", value: (p) => p.account, wide: true },
          {
            title: "Crossed",
            csv: "settled_at",
            value: (p) => p.settledAt,
            cell: (p) => (p.settledAt ? relative(p.settledAt) : ""),
          },
          {
            title: "Forwards until",
            csv: "forwarding_until",
            value: (p) => p.forwardingUntil,
            cell: (p) => (p.forwardingUntil ? date(p.forwardingUntil) : "for good"),
          },
          {
            title: "Last probe",
            csv: "last_probe",
            value: (p) => p.lastProbe?.state,
            cell: (p) => (p.lastProbe ? probeWords(p.lastProbe, Date.now()) : "none"),
          },
          {
            title: "Messages in 30 days",
            csv: "messages",
            value: (p) => p.messages,
            cell: (p) => number(p.messages),
            number: true,
          },
          { title: "Senders", csv: "senders", value: (p) => p.senders, cell: (p) => number(p.senders), number: true },
          { title: "What is wrong", csv: "what", value: (p) => p.what, wide: true },
        ]}
      />
      <h2>Who still writes to the old address</h2>
      <DataTable
        label="senders"
        name={`${batch}-writers`}
        unit={["sender", "senders"]}
        rows={writers.data}
        rowKey={(w) => `${w.account} ${w.sender}`}
        empty="Nobody has written to the old addresses in the last 30 days, as far as passes have seen."
        columns={[
          { title: "Old address", csv: "account", value: (w) => w.account, wide: true },
          { title: "Who writes", csv: "sender", value: (w) => w.sender, wide: true },
          {
            title: "Messages",
            csv: "messages",
            value: (w) => w.messages,
            cell: (w) => number(w.messages),
            number: true,
          },
          { title: "First", csv: "first_at", value: (w) => w.firstAt, cell: (w) => time(w.firstAt) },
          { title: "Last", csv: "last_at", value: (w) => w.lastAt, cell: (w) => time(w.lastAt) },
        ]}
      />
      <Correspondents batch={batch} people={people.data} />
    </>
  );
}
