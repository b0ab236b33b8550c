import { Button, Group } from "@mantine/core";
import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { relative, sentence } from "../words/format";
import { ConditionMark } from "../words/states";
import { PersonHelp } from "./PersonHelp";
import { type Crossing, GATE_WORDS, isShut, probeWords, stepWords } from "./words";

interface Props {
  batch: string;
  view: Crossing;
  now: number;
  isPending: boolean;
  onAsk: (ask: Schemas["CrossingAsk"], account: string) => void;
}

/** One person on the evening: the step, what is wrong and what to do, the probe's clock, and the way back beside it. */
export function PersonCard({ batch, view, now, isPending, onAsk }: Props) {
  const shut = view.gates.filter(isShut);
  const button = (ask: Schemas["CrossingAsk"], word: string, color?: string) => (
    <Button size="xs" variant="default" c={color} loading={isPending} onClick={() => onAsk(ask, view.account)}>
      {word}
    </Button>
  );
  return (
    <article className={`crosser ${view.what ? "crosser-needs" : ""}`} aria-label={view.name}>
      <div className="row spread">
        <div>
          <Link to="/batches/$batch/moves/$account" params={{ batch, account: view.account }} className="crosser-name">
            {view.name}
          </Link>
          <div className="soft">{view.toAccount}</div>
        </div>
        <ConditionMark condition={view.condition} />
      </div>
      <div className="crosser-step">{stepWords(view)}</div>
      {view.what && (
        <p className="crosser-what">
          {sentence(view.what)}. {view.remedy && `${sentence(view.remedy)}.`}
        </p>
      )}
      {!view.what && shut.length > 0 && (
        <p className="soft">{shut.map((g) => `${GATE_WORDS[g.gate]}: ${g.facts}`).join("; ")}</p>
      )}
      {view.what && <PersonHelp batch={batch} view={view} button={button} />}
      {view.probes.map((probe) => (
        <div key={probe.way} className="crosser-probe">
          Probe from {probe.way === "outside" ? "outside" : "a colleague"}: <strong>{probeWords(probe, now)}</strong>
        </div>
      ))}
      {view.settledAt && <div className="soft">Crossed {relative(view.settledAt, now)}</div>}
      <Group gap="xs" mt="xs">
        {view.mayGo && button("go", view.what ? "Try again" : "Cross")}
        {view.mayUndo && button("undo", "Undo")}
        {view.mayFinish && button("finish", "Finish")}
      </Group>
    </article>
  );
}
