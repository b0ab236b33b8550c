import type { Schemas } from "../api/client";

export type Crossing = Schemas["CrossingView"];
export type Gate = Schemas["GateView"];

export const GATE_WORDS: Record<Schemas["GateWord"], string> = {
  "in-step": "In step",
  "left-behind": "Left behind",
  "sign-in": "Sign-in",
  room: "Room",
  forwarding: "Forwarding",
  "own-rules": "Own rules",
  probe: "Probe",
  informed: "Informed",
};

const STEP_WORDS: Record<NonNullable<Crossing["step"]>, string> = {
  gates: "At the gates",
  forward: "Forwarding is switched on",
  confirm: "Waits for confirmation",
  probe: "Probe on its way",
  close: "Closing pass",
  compare: "Both sides compared",
  settle: "Has crossed",
  undo: "Going back",
  end: "Being finished",
};

const PROBE_WORDS: Record<Schemas["ProbeWord"], string> = {
  planned: "about to be sent",
  sent: "on its way",
  late: "late",
  arrived: "arrived",
  "in-junk": "in the junk",
  altered: "altered",
  twice: "came twice",
  missing: "missing",
  refused: "not taken",
};

export const isShut = (gate: Gate) => gate.colour === "red" || (gate.colour === "amber" && !gate.acceptedAt);

export function stepWords(view: Crossing): string {
  if (view.stage === "done") return "Done";
  if (!view.step) return "Not looked at yet";
  if (view.step === "gates" && view.goal === "undo") return "Undone";
  if (view.step === "gates" && view.goal === "check") return view.gates.some(isShut) ? "Gates shut" : "Gates open";
  return STEP_WORDS[view.step];
}

/** How long a probe took, or has been on its way. */
export function probeWords(probe: Schemas["ProbeView"], now: number): string {
  const since = new Date(probe.plannedAt).getTime();
  const seconds = ((probe.arrivedAt ? new Date(probe.arrivedAt).getTime() : now) - since) / 1000;
  const clock =
    seconds < 120 ? `${Math.max(0, seconds).toFixed(probe.arrivedAt ? 1 : 0)} s` : `${Math.round(seconds / 60)} min`;
  const isOpen = probe.state === "sent" || probe.state === "late" || probe.state === "arrived";
  return isOpen ? `${PROBE_WORDS[probe.state]}, ${clock}` : PROBE_WORDS[probe.state];
}
