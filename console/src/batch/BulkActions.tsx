import { Button, Group, Menu, Modal, Text } from "@mantine/core";
import { IconChevronDown, IconDownload } from "@tabler/icons-react";
import { useState } from "react";
import type { Move } from "../api/client";
import type { ActionName } from "../api/queries";
import { useActions } from "../parts/useActions";
import { ACTIONS } from "../words/actions";
import { download, toCsv } from "../words/csv";
import { plural } from "../words/format";
import { csvColumns } from "./columns";

interface Props {
  batch: string;
  selected: Move[];
  shown: Move[];
}

/** What can be asked of the people chosen, or of everybody shown where nobody is chosen. */
export function BulkActions({ batch, selected, shown }: Props) {
  const { action } = useActions(batch);
  const [leaving, setLeaving] = useState<Move[] | null>(null);
  const chosen = selected.length > 0 ? selected : shown;
  const who = selected.length > 0 ? `${selected.length} chosen` : "all shown";
  const ask = (name: ActionName, moves: Move[]) => action.mutate({ name, moves: moves.map((m) => m.account) });

  return (
    <Group gap="sm">
      <Menu position="bottom-end">
        <Menu.Target>
          <Button
            rightSection={<IconChevronDown size={16} aria-hidden />}
            loading={action.isPending}
            disabled={chosen.length === 0}
          >
            Act on {who}
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          {ACTIONS.map((a) => {
            const fitting = chosen.filter((m) => m.actions.includes(a.name));
            return (
              <Menu.Item
                key={a.name}
                disabled={fitting.length === 0}
                onClick={() => (a.name === "withdraw" ? setLeaving(fitting) : ask(a.name, fitting))}
              >
                {a.name === "withdraw" ? "Withdraw…" : a.word}{" "}
                <span className="soft">{fitting.length > 0 ? plural(fitting.length, "person", "people") : ""}</span>
              </Menu.Item>
            );
          })}
        </Menu.Dropdown>
      </Menu>
      <Button
        variant="default"
        leftSection={<IconDownload size={16} aria-hidden />}
        onClick={() => download(`${batch}.csv`, toCsv(chosen, csvColumns))}
      >
        CSV
      </Button>
      <Modal
        opened={leaving !== null}
        onClose={() => setLeaving(null)}
        title="Withdraw from the move"
        closeButtonProps={{ "aria-label": "Close" }}
      >
        <Text>
          {plural(leaving?.length ?? 0, "person leaves", "people leave")} the move for good. What was carried stays on
          the new side; nothing on the old side is touched.
        </Text>
        <Group mt="md" justify="flex-end">
          <Button variant="default" onClick={() => setLeaving(null)}>
            Keep them
          </Button>
          <Button
            color="red.9"
            onClick={() => {
              ask("withdraw", leaving ?? []);
              setLeaving(null);
            }}
          >
            Withdraw
          </Button>
        </Group>
      </Modal>
    </Group>
  );
}
