import { Button, Select, TextInput } from "@mantine/core";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { plural } from "../words/format";

interface Props {
  group: Schemas["FindingGroup"];
  /** Accounts that were chosen from the list; none: for the batch or the route. */
  selected: string[];
  pending: boolean;
  onChoose: (choice: Schemas["DecisionRequest"]) => void;
}

/** Chooses a way out for the selected people, for the whole batch, or for everybody on its route. */
export function WayForm({ group, selected, pending, onChoose }: Props) {
  const [way, setWay] = useState<string | null>(null);
  const [value, setValue] = useState("");
  const offer = group.ways.find((w) => w.way === way);
  const choose = (scope: Schemas["DecisionReach"]) => {
    if (!offer) return;
    onChoose({
      code: group.code,
      way: offer.way,
      value: offer.value === null ? null : value,
      scope,
      moves: scope === "move" ? selected : null,
    });
    setWay(null);
  };
  return (
    <div className="row">
      <Select
        aria-label={`Way out of: ${group.title}`}
        placeholder="Choose a way out"
        data={group.ways.map((w) => ({ value: w.way, label: w.text }))}
        value={way}
        onChange={(next) => {
          setWay(next);
          setValue(group.ways.find((w) => w.way === next)?.default ?? "");
        }}
        w={400}
        clearable
        clearButtonProps={{ "aria-label": "No way out" }}
      />
      {offer && offer.value !== null && (
        <TextInput
          aria-label={`Value: ${offer.value}`}
          placeholder={offer.value}
          value={value}
          onChange={(e) => setValue(e.currentTarget.value)}
          w={210}
        />
      )}
      {offer &&
        (selected.length > 0 ? (
          <Button loading={pending} onClick={() => choose("move")}>
            For {plural(selected.length, "person", "people")} chosen
          </Button>
        ) : (
          <>
            <Button loading={pending} onClick={() => choose("batch")}>
              For the batch
            </Button>
            <Button variant="default" loading={pending} onClick={() => choose("route")}>
              For the route
            </Button>
          </>
        ))}
    </div>
  );
}
