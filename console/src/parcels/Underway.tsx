import { Button } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import type { Batch } from "../api/client";
import { type Errand, removeErrand } from "../api/parcelQueries";
import { batchesQuery } from "../api/queries";
import { StageBar } from "../batch/StageBar";
import { Bar } from "../parts/Bar";
import { notifyFailure, notifySuccess } from "../parts/notify";
import { number, plural, relative, size, time } from "../words/format";
import { ITEM_WORDS } from "../words/states";

/** Nobody is under way in it any more. */
export const isSettled = (batch: Batch | undefined) =>
  batch === undefined ||
  (batch.people > 0 && (batch.stages["in-step"] ?? 0) + (batch.stages.withdrawn ?? 0) === batch.people);

/** What was asked for and is not done yet: each is a batch of its own, with the same pages as any other. */
export function Underway({ errands }: { errands: Errand[] }) {
  const batches = useQuery(batchesQuery);
  if (!batches.data) return null;
  const of = new Map(batches.data.map((b) => [b.name, b]));
  const open = errands.filter((e) => !isSettled(of.get(e.name)));
  if (open.length === 0) return null;
  return (
    <>
      <h2>Under way</h2>
      <div className="cards">
        {open.map((errand) => (
          <ErrandCard key={errand.name} errand={errand} batch={of.get(errand.name)} />
        ))}
      </div>
    </>
  );
}

function ErrandCard({ errand, batch }: { errand: Errand; batch: Batch | undefined }) {
  const client = useQueryClient();
  const remove = useMutation({
    mutationFn: () => removeErrand(errand.name),
    onSuccess: () => {
      notifySuccess(`${errand.name} was taken away`);
      void client.invalidateQueries({ queryKey: ["parcels"] });
    },
    onError: notifyFailure,
  });
  const settled = batch ? batch.counts.carried + batch.counts.paired + batch.counts.excluded : 0;
  const hasBegun = batch && Object.keys(batch.stages).some((s) => s !== "listed" && s !== "surveyed");
  return (
    <section className="sheet padded stack" aria-label={errand.name}>
      <div className="row spread">
        <Link to="/batches/$batch" params={{ batch: errand.name }}>
          <strong>{errand.name}</strong>
        </Link>
        <span className="soft">{plural(errand.people, "account")}</span>
      </div>
      <div>
        {errand.kind === "pack" ? `Packs accounts of ${errand.from}` : `Puts a parcel into an account at ${errand.to}`},
        asked for by {errand.createdBy} {relative(errand.createdAt)}.
      </div>
      {batch && (
        <>
          <StageBar batch={batch} />
          {batch.counts.found > 0 && (
            <Bar share={settled / batch.counts.found} label={`${errand.name}: ${settled} of ${batch.counts.found}`} />
          )}
          <div>{batch.doing}</div>
          <div className="soft">
            {batch.kinds
              .map((k) => `${number(k.counts.carried)} of ${number(k.counts.found)} ${ITEM_WORDS[k.kind]}`)
              .join(" · ")}
            {batch.octets > 0 && `, ${size(batch.octets)}`}
            {batch.counts.paired > 0 && ` · ${number(batch.counts.paired)} were there already`}
            {batch.openLeftBehind > 0 && <span className="bad"> · {batch.openLeftBehind} left behind</span>}
          </div>
        </>
      )}
      {errand.keepUntil && <div className="soft">Its parcels are deleted {time(errand.keepUntil)}.</div>}
      {batch && !hasBegun && (
        <Button
          size="xs"
          variant="default"
          style={{ alignSelf: "start" }}
          loading={remove.isPending}
          onClick={() => remove.mutate()}
        >
          Take it away
        </Button>
      )}
    </section>
  );
}
