import { Button } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { act, batchesQuery } from "../api/queries";
import { notifyFailure, notifySuccess } from "../parts/notify";
import { SecretForm } from "../secrets/SecretForm";
import { ConsentBox } from "../services/ConsentBox";
import { ConsentLinks } from "../services/ConsentLinks";
import { plural } from "../words/format";

/** The way to mend a cause, beside it: for all who met it at once, batch by batch. */
export function MendHere({ group }: { group: Schemas["NeedsYou"] }) {
  const batches = [...new Set(group.moves.map((m) => m.batch))];
  const known = useQuery(batchesQuery);
  // A move is known by its account on the from side, so that side's owner alone can be asked here and now.
  const isFromSide = known.data?.find((b) => b.name === batches[0])?.from === group.service;
  switch (group.mend) {
    case "secret":
      return (
        <div className="row">
          {batches.map((batch) => (
            <SecretForm
              key={batch}
              people={group.moves.filter((m) => m.batch === batch)}
              side={known.data?.find((b) => b.name === batch)?.to === group.service ? "to" : "from"}
              word={
                batches.length > 1 ? `New passwords, ${batch}` : group.count === 1 ? "New password" : "New passwords"
              }
            />
          ))}
          <TryAgain group={group} />
        </div>
      );
    case "consent":
      return (
        <div className="row">
          {group.service && (
            <>
              {group.count === 1 && isFromSide && (
                <ConsentBox service={group.service} account={group.moves[0]?.account ?? null} />
              )}
              <ConsentLinks service={group.service} batch={batches.length === 1 ? (batches[0] ?? null) : null} />
            </>
          )}
          <TryAgain group={group} />
        </div>
      );
    case "left-behind":
    case "differences":
      return (
        <div className="row">
          {batches.map((batch) => (
            <Link key={batch} to="/batches/$batch" params={{ batch }} search={{ needsYou: true }}>
              Decide in {batch}
            </Link>
          ))}
        </div>
      );
    case "retry":
      return (
        <div className="row">
          <TryAgain group={group} />
        </div>
      );
    default:
      return null;
  }
}

function TryAgain({ group }: { group: Schemas["NeedsYou"] }) {
  const client = useQueryClient();
  const batches = [...new Set(group.moves.map((m) => m.batch))];
  const retry = useMutation({
    mutationFn: async () => {
      const answers = await Promise.all(
        // More may have met the cause than are named: then everybody of these batches who needs somebody is meant.
        batches.map((batch) =>
          act(batch, {
            name: "retry",
            moves:
              group.moves.length < group.count
                ? null
                : group.moves.filter((m) => m.batch === batch).map((m) => m.account),
            where: { search: null, stage: null, condition: "needs-you", needsYou: false },
          }),
        ),
      );
      return answers.reduce((sum, a) => sum + a.changed.length, 0);
    },
    onSuccess: (count) => {
      notifySuccess(`${plural(count, "person", "people")} tried again`);
      void client.invalidateQueries({ queryKey: ["today"] });
    },
    onError: notifyFailure,
  });
  return (
    <Button variant="default" loading={retry.isPending} onClick={() => retry.mutate()}>
      Try again
    </Button>
  );
}
