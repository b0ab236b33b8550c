import { Button, Group, Modal, Text } from "@mantine/core";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { plural } from "../words/format";

interface Props {
  view: Schemas["BatchCrossingView"];
  isPending: boolean;
  onBegin: () => void;
}

/** Begins a wave, after saying whom it concerns: old mailboxes begin to forward with it. */
export function BeginButton({ view, isPending, onBegin }: Props) {
  const [asking, setAsking] = useState(false);
  const isFirst = view.waves.length === 0;
  const left = view.people - view.waves.reduce((sum, w) => sum + w.people, 0);
  const next = Math.max(0, view.waveSize ? Math.min(view.waveSize, left) : left);
  const whom = next > 0 ? `Up to ${plural(next, "person", "people")}` : "Whoever is left, or went back,";
  return (
    <>
      <Button loading={isPending} onClick={() => setAsking(true)}>
        {isFirst ? "Begin the crossing" : "Begin the next wave"}
      </Button>
      <Modal
        opened={asking}
        onClose={() => setAsking(false)}
        title={isFirst ? "Begin the crossing" : "Begin the next wave"}
        closeButtonProps={{ "aria-label": "Close" }}
      >
        <Text>
          {whom} will cross now: their old mailboxes forward, and the new ones count from then on. Who is stopped at a
          gate stays as they are, and each can be undone.
          {view.waveSize && left > next
            ? ` Further waves of ${view.waveSize} follow by themselves, unless too many go wrong.`
            : ""}
        </Text>
        <Group mt="md" justify="flex-end">
          <Button variant="default" onClick={() => setAsking(false)}>
            Not yet
          </Button>
          <Button
            onClick={() => {
              setAsking(false);
              onBegin();
            }}
          >
            Begin now
          </Button>
        </Group>
      </Modal>
    </>
  );
}
