import { Button, Group } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import type { Schemas } from "../api/client";
import { askCrossing, crossingMovesQuery, crossingQuery } from "../api/crossingQueries";
import { BatchTabs } from "../batch/BatchTabs";
import { Failure } from "../parts/Failure";
import { Loading } from "../parts/Loading";
import { notifyFailure } from "../parts/notify";
import { plural, relative, sentence, time } from "../words/format";
import { BeginButton } from "./BeginButton";
import { GateBoard } from "./GateBoard";
import { PersonCard } from "./PersonCard";
import { type Crossing, isShut } from "./words";

/** People shown at a time: more than fit on a wall. */
const MOST = 60;

/** The evening itself: gates, waves, everybody who crosses, and the way back beside each. */
export function CrossingPage() {
  const { batch } = useParams({ from: "/batches/$batch/crossing" });
  const client = useQueryClient();
  const whole = useQuery(crossingQuery(batch));
  const people = useQuery(crossingMovesQuery(batch));
  const [shown, setShown] = useState<keyof typeof GROUPS>("now");
  const now = useSeconds();
  const ask = useMutation({
    mutationFn: (body: Schemas["CrossingRequest"]) => askCrossing(batch, body),
    onError: notifyFailure,
    onSettled: () => {
      void client.invalidateQueries({ queryKey: ["crossing", batch] });
      void client.invalidateQueries({ queryKey: ["crossing-moves", batch] });
    },
  });
  const error = whole.error ?? people.error;
  if (error) return <Failure error={error} again={() => void whole.refetch()} />;
  if (!whole.data || !people.data) return <Loading />;
  const view = whole.data;
  const request = (name: Schemas["CrossingAsk"], moves: string[] | null = null) =>
    ask.mutate({ ask: name, moves, gate: null, because: null });
  const fitting = people.data.filter(GROUPS[shown].fits);
  return (
    <>
      <header>
        <div className="crumbs">
          <Link to="/batches">Batches</Link>
        </div>
        <h1>{batch}</h1>
        <p className="lede">{ledeOf(view)}</p>
        <BatchTabs batch={batch} />
      </header>
      <div className="row spread">
        <h2>Gates</h2>
        <Group gap="sm">
          <Button variant="default" loading={ask.isPending} onClick={() => request("check")}>
            Look at the gates
          </Button>
          {view.state === "running" ? (
            <Button variant="default" loading={ask.isPending} onClick={() => request("stop")}>
              Begin no further wave
            </Button>
          ) : (
            <BeginButton view={view} isPending={ask.isPending} onBegin={() => request("go")} />
          )}
        </Group>
      </div>
      <GateBoard
        sums={view.gates}
        isPending={ask.isPending}
        onAccept={(gate, because) => ask.mutate({ ask: "accept", moves: null, gate, because })}
      />
      {view.waves.length > 0 && (
        <p className="waves">
          {view.waves.map((w) => (
            <span key={w.wave}>
              Wave {w.wave}: <strong>{w.crossed}</strong> of {plural(w.people, "person", "people")} crossed
              {w.stopped > 0 && `, ${w.stopped} need somebody`}
            </span>
          ))}
        </p>
      )}
      <div className="row spread">
        <h2>People</h2>
        <Group gap="xs" role="group" aria-label="Which people are shown">
          {GROUP_NAMES.map((name) => (
            <Button
              key={name}
              size="xs"
              variant={shown === name ? "filled" : "default"}
              aria-pressed={shown === name}
              onClick={() => setShown(name)}
            >
              {GROUPS[name].word} {people.data.filter(GROUPS[name].fits).length}
            </Button>
          ))}
        </Group>
      </div>
      {fitting.length === 0 && <div className="sheet padded soft">{GROUPS[shown].empty}</div>}
      <div className="crossers">
        {fitting.slice(0, MOST).map((person) => (
          <PersonCard
            key={person.account}
            batch={batch}
            view={person}
            now={now}
            isPending={ask.isPending}
            onAsk={(name, account) => request(name, [account])}
          />
        ))}
      </div>
      {fitting.length > MOST && (
        <p className="soft">and {plural(fitting.length - MOST, "more person", "more people")}</p>
      )}
    </>
  );
}

const GROUPS = {
  now: {
    word: "Now",
    fits: (v: Crossing) => v.stage === "crossing" || v.what !== null || v.step === "undo",
    empty: "Nobody crosses at this moment, and nobody needs you.",
  },
  before: {
    word: "Before",
    fits: (v: Crossing) => v.stage !== "crossing" && v.stage !== "settling" && v.stage !== "done",
    empty: "Everybody has begun to cross.",
  },
  shut: { word: "At a gate", fits: (v: Crossing) => v.gates.some(isShut), empty: "No gate is shut." },
  over: {
    word: "Crossed",
    fits: (v: Crossing) => v.stage === "settling" || v.stage === "done",
    empty: "Nobody has crossed yet.",
  },
};

const GROUP_NAMES = Object.keys(GROUPS) as (keyof typeof GROUPS)[];

function ledeOf(view: Schemas["BatchCrossingView"]): string {
  const size = view.waveSize ? `in waves of ${view.waveSize}` : "all at once";
  if (view.state === "stopped") return `Stopped: ${sentence(view.because ?? "")}.`;
  if (view.state === "running") return `Crossing ${size}.`;
  if (view.state === "ended") return "The waves are over: whoever could cross has crossed, or went back.";
  return view.cutoverAt
    ? `Crosses ${size}, by itself ${time(view.cutoverAt)} (${relative(view.cutoverAt)}).`
    : `Crosses ${size}, when you begin it.`;
}

/** The clock of probes that are on their way. */
function useSeconds(): number {
  const [now, setNow] = useState(Date.now);
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(timer);
  }, []);
  return now;
}
