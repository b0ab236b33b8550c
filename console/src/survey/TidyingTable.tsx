import { Button } from "@mantine/core";
import type { Schemas } from "../api/client";
import { DataTable } from "../parts/DataTable";
import { useDecisions } from "../parts/useDecisions";
import { durationRange, number, size } from "../words/format";

type Saving = Schemas["SavingView"];

/** What could stay behind by a rule. Nothing is deleted on the old side. */
export function TidyingTable({ batch, savings }: { batch: string; savings: Saving[] }) {
  const decisions = useDecisions(batch);
  return (
    <DataTable
      label="What leaving out would save"
      rows={savings}
      rowKey={(s) => `${s.way} ${s.value ?? ""}`}
      empty="There is no trash, junk, old or large mail to leave out."
      name={`tidying-${batch}`}
      unit={["way", "ways"]}
      columns={[
        { title: "What", csv: "what", value: (s) => s.title },
        {
          title: "By",
          csv: "way",
          value: (s) => `${s.way}${s.value ? ` ${s.value}` : ""}`,
          cell: (s) => `${s.text}${s.value ? `: ${s.value}` : ""}`,
          wide: true,
        },
        { title: "People", csv: "people", value: (s) => s.people, number: true },
        { title: "Messages", csv: "messages", value: (s) => s.messages, cell: (s) => number(s.messages), number: true },
        { title: "Size", csv: "octets", value: (s) => s.octets, cell: (s) => size(s.octets), number: true },
        {
          title: "Time",
          csv: "longest_seconds",
          value: (s) => Math.round(s.longestSaved),
          cell: (s) => durationRange(s.shortestSaved, s.longestSaved),
          number: true,
        },
        {
          title: "Leave out",
          csv: "code",
          value: (s) => s.code,
          cell: (s) => (
            <Button
              size="compact-sm"
              variant="default"
              loading={decisions.isPending}
              aria-label={`${s.text}${s.value ? ` ${s.value}` : ""}, for the batch`}
              onClick={() =>
                decisions.mutate({ code: s.code, way: s.way, value: s.value, scope: "batch", moves: null })
              }
            >
              For the batch
            </Button>
          ),
        },
      ]}
    />
  );
}
