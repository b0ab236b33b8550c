import { Button, Group, Modal, TextInput } from "@mantine/core";
import { IconAlertTriangle, IconCheck, IconHelp } from "@tabler/icons-react";
import { type FormEvent, useState } from "react";
import type { Schemas } from "../api/client";
import { number, plural } from "../words/format";
import { GATE_WORDS } from "./words";

type Sum = Schemas["GateSum"];

interface Props {
  sums: Sum[];
  isPending: boolean;
  onAccept: (gate: Sum["gate"], because: string) => void;
}

/** The gates of all people, as a board that is read from afar. */
export function GateBoard({ sums, isPending, onAccept }: Props) {
  const [accepting, setAccepting] = useState<Sum | null>(null);
  return (
    <>
      <ul className="gates" aria-label="Gates">
        {sums.map((sum) => (
          <li key={sum.gate} className={`gate gate-${colourOf(sum)}`}>
            <strong>{GATE_WORDS[sum.gate]}</strong>
            <Mark sum={sum} />
            {sum.amber > 0 && (
              <Button size="compact-xs" variant="default" loading={isPending} onClick={() => setAccepting(sum)}>
                Accept…
              </Button>
            )}
          </li>
        ))}
      </ul>
      <Modal
        opened={accepting !== null}
        onClose={() => setAccepting(null)}
        title={accepting ? `Accept the gate ${GATE_WORDS[accepting.gate]}` : ""}
        closeButtonProps={{ "aria-label": "Close" }}
      >
        {accepting && (
          <Accept
            people={accepting.amber}
            onAccept={(because) => {
              onAccept(accepting.gate, because);
              setAccepting(null);
            }}
          />
        )}
      </Modal>
    </>
  );
}

function colourOf({ red, amber, green, accepted }: Sum): "red" | "amber" | "green" | "unknown" {
  if (red > 0) return "red";
  if (amber > 0) return "amber";
  return green + accepted > 0 ? "green" : "unknown";
}

function Mark({ sum }: { sum: Sum }) {
  const { red, amber, accepted, green } = sum;
  if (red > 0)
    return (
      <span className="gate-mark">
        <IconAlertTriangle size={20} aria-hidden /> {number(red)} shut
      </span>
    );
  if (amber > 0)
    return (
      <span className="gate-mark">
        <IconHelp size={20} aria-hidden /> {number(amber)} to accept
      </span>
    );
  if (green + accepted === 0) return <span className="soft">not looked at</span>;
  return (
    <span className="gate-mark">
      <IconCheck size={20} aria-hidden /> open{accepted > 0 ? `, ${number(accepted)} accepted` : ""}
    </span>
  );
}

function Accept({ people, onAccept }: { people: number; onAccept: (because: string) => void }) {
  const [because, setBecause] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    if (because.trim() !== "") onAccept(because.trim());
  };
  return (
    <form onSubmit={send}>
      <p>
        You say that it is well all the same for {plural(people, "person", "people")}. Your reason stands in the
        journal.
      </p>
      <TextInput
        label="Because"
        placeholder="They were told in person"
        value={because}
        onChange={(e) => setBecause(e.currentTarget.value)}
        data-autofocus
      />
      <Group mt="md" justify="flex-end">
        <Button type="submit" disabled={because.trim() === ""}>
          Accept
        </Button>
      </Group>
    </form>
  );
}
