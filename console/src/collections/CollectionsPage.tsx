import { Select } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { collectionsQuery, forecastQuery } from "../api/collectionQueries";
import { batchQuery } from "../api/queries";
import { BatchTabs } from "../batch/BatchTabs";
import { DataTable } from "../parts/DataTable";
import { Failure } from "../parts/Failure";
import { Loading } from "../parts/Loading";
import { number, sentence } from "../words/format";
import { KIND_WORDS } from "../words/states";
import { FORECAST_WORDS, landsIn, sumOf } from "./forecastWords";

type Landing = Schemas["CollectionLandingView"];
type Forecast = Schemas["ItemForecastView"];

const EVERYBODY = "";

/** Where address books and calendars land, and what carrying would do with what is in them. */
export function CollectionsPage() {
  const { batch: name } = useParams({ from: "/batches/$batch/collections" });
  const batch = useQuery(batchQuery(name));
  const landings = useQuery(collectionsQuery(name));
  const error = batch.error ?? landings.error;
  if (error) return <Failure error={error} again={() => void landings.refetch()} />;
  if (!batch.data || !landings.data) return <Loading />;
  const sum = sumOf(landings.data.items);
  return (
    <>
      <header>
        <div className="crumbs">
          <Link to="/batches">Batches</Link>
        </div>
        <h1>{name}</h1>
        <p className="lede">
          Where the address books and calendars of {batch.data.from} land at {batch.data.to}, and what would become of
          what is in them.
        </p>
        <BatchTabs batch={name} />
      </header>
      <h2>Address books and calendars</h2>
      {landings.data.items.length > 0 && (
        <p>
          {(Object.keys(FORECAST_WORDS) as (keyof typeof sum)[])
            .map((word) => `${number(sum[word])} ${FORECAST_WORDS[word]}`)
            .join(", ")}
          .
        </p>
      )}
      <DataTable
        label="Address books and calendars"
        rows={landings.data.items}
        rowKey={(l) => `${l.account} ${l.kind} ${l.from}`}
        empty={`Nothing is known yet. Look before anything moves: caravan survey ${name}.`}
        name={`${name}-collections`}
        unit={["collection", "collections"]}
        columns={[
          { title: "Person", csv: "name", value: (l) => l.name },
          { title: "Kind", csv: "kind", value: (l) => KIND_WORDS[l.kind] },
          { title: "Old side", csv: "from", value: (l) => l.from },
          { title: "Items", csv: "items", value: (l) => l.items, cell: (l) => number(l.items), number: true },
          ...(["new", "same", "merge", "unclear"] as const).map((word) => ({
            title: sentence(FORECAST_WORDS[word]),
            csv: word,
            value: (l: Landing) => l.forecast?.[word],
            cell: (l: Landing) => (l.forecast ? number(l.forecast[word]) : ""),
            number: true,
          })),
          { title: "New side", csv: "to", value: (l) => l.to, cell: landsIn },
          { title: "Why", csv: "why", value: (l) => l.why },
        ]}
      />
      {landings.data.isCut && <Cut command={`caravan collections ${name}`} />}
      <h2>What would become of single contacts and events</h2>
      <People batch={name} landings={landings.data.items} />
    </>
  );
}

function People({ batch, landings }: { batch: string; landings: Landing[] }) {
  const people = [...new Map(landings.map((l) => [l.account, l.name])).entries()];
  const [account, setAccount] = useState(EVERYBODY);
  const [only, setOnly] = useState(EVERYBODY);
  const lines = useQuery(
    forecastQuery(batch, account || undefined, (only || undefined) as Schemas["ItemForecastWord"] | undefined),
  );
  return (
    <div className="stack">
      {lines.data?.isCut && <Cut command={`caravan preview ${batch}`} />}
      <p className="soft" style={{ margin: 0 }}>
        All that stand in files, and elsewhere those that the new side has already. As the last survey found; nothing
        was changed.
      </p>
      <div className="row">
        <Select
          aria-label="Person"
          data={[
            { value: EVERYBODY, label: "Everybody" },
            ...people.map(([value, label]) => ({ value, label: `${label} (${value})` })),
          ]}
          value={account}
          onChange={(v) => setAccount(v ?? EVERYBODY)}
          searchable
          w={360}
        />
        <Select
          aria-label="What would become of it"
          data={[
            { value: EVERYBODY, label: "Whatever becomes of it" },
            ...Object.entries(FORECAST_WORDS).map(([value, label]) => ({ value, label })),
          ]}
          value={only}
          onChange={(v) => setOnly(v ?? EVERYBODY)}
        />
      </div>
      {lines.error ? (
        <Failure error={lines.error} again={() => void lines.refetch()} />
      ) : !lines.data ? (
        <Loading />
      ) : (
        <DataTable
          label="Contacts and events"
          rows={lines.data.items}
          rowKey={(l) => `${l.account} ${l.kind} ${l.collection} ${l.place ?? ""} ${l.title} ${l.whom}`}
          empty="None."
          name={`${batch}-preview`}
          unit={["contact or event", "contacts and events"]}
          columns={[
            { title: "Person", csv: "name", value: (l: Forecast) => l.name },
            { title: "In", csv: "collection", value: (l: Forecast) => l.collection },
            { title: "Place", csv: "place", value: (l: Forecast) => l.place },
            {
              title: "Contact or event",
              csv: "title",
              value: (l: Forecast) => l.title,
              cell: (l: Forecast) => (
                <>
                  <strong>{l.title || "(no name)"}</strong> <span className="soft">{l.whom}</span>
                </>
              ),
            },
            { title: "Becomes", csv: "becomes", value: (l: Forecast) => FORECAST_WORDS[l.forecast] },
            { title: "Why", csv: "why", value: (l: Forecast) => l.why, wide: true },
          ]}
        />
      )}
    </div>
  );
}

/** Sums and searches are of what is shown alone. */
function Cut({ command }: { command: string }) {
  return (
    <p className="warn-note" style={{ margin: 0 }}>
      There are more than can be shown here: {command} lists all.
    </p>
  );
}
