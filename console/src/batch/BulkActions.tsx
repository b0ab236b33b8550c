import { Button, Group, Menu, Modal, Text } from "@mantine/core";
import { IconChevronDown, IconDownload } from "@tabler/icons-react";
import { useState } from "react";
import type { Move } from "../api/client";
import { fetchAll } from "../api/pages";
import { type ActionName, fetchMoves } from "../api/queries";
import { useActions } from "../parts/useActions";
import { useCsv } from "../parts/useCsv";
import { ACTIONS } from "../words/actions";
import { number, plural } from "../words/format";
import { csvColumns } from "./columns";
import { type Filters, whereOf } from "./filters";

interface Props {
  batch: string;
  chosen: Move[];
  /** How many fit the filters. */
  shown: number;
  /** What is shown fits the filters already: nobody is acted on who is not seen. */
  ready: boolean;
  filters: Filters;
}

/** What can be asked of the people chosen, or of everybody who fits the filters where nobody is chosen. */
export function BulkActions({ batch, chosen, shown, ready, filters }: Props) {
  const { action } = useActions(batch);
  const [leaving, setLeaving] = useState(false);
  const { save, saving } = useCsv(batch, csvColumns);
  const all = chosen.length === 0;
  const fitting = (name: ActionName) => chosen.filter((m) => m.actions.includes(name));
  const people = (name: ActionName) => plural(all ? shown : fitting(name).length, "person", "people");
  const ask = (name: ActionName) =>
    action.mutate(
      all
        ? { name, moves: null, where: whereOf(filters) }
        : { name, moves: fitting(name).map((m) => m.account), where: null },
    );

  return (
    <Group gap="sm">
      <Menu position="bottom-end">
        <Menu.Target>
          <Button
            rightSection={<IconChevronDown size={16} aria-hidden />}
            loading={action.isPending}
            disabled={shown === 0 || !ready}
          >
            Act on {all ? (shown > 0 ? `all ${number(shown)} shown` : "all shown") : `${chosen.length} chosen`}
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          {ACTIONS.map((a) => (
            <Menu.Item
              key={a.name}
              disabled={!all && fitting(a.name).length === 0}
              onClick={() => (a.name === "withdraw" ? setLeaving(true) : ask(a.name))}
            >
              {a.name === "withdraw" ? "Withdraw…" : a.word}{" "}
              <span className="soft">{!all && fitting(a.name).length > 0 ? people(a.name) : ""}</span>
            </Menu.Item>
          ))}
        </Menu.Dropdown>
      </Menu>
      <Button
        variant="default"
        leftSection={<IconDownload size={16} aria-hidden />}
        loading={saving}
        onClick={() => void save(all ? () => fetchAll(fetchMoves(batch, filters)) : chosen)}
      >
        CSV
      </Button>
      <Modal
        opened={leaving}
        onClose={() => setLeaving(false)}
        title="Withdraw from the move"
        closeButtonProps={{ "aria-label": "Close" }}
      >
        <Text>
          {people("withdraw")} {all ? "who are shown" : "chosen"} will leave the move for good, unless they have left it
          already. What was carried stays on the new side; nothing on the old side is touched.
        </Text>
        <Group mt="md" justify="flex-end">
          <Button variant="default" onClick={() => setLeaving(false)}>
            Keep them
          </Button>
          <Button
            color="red.9"
            onClick={() => {
              ask("withdraw");
              setLeaving(false);
            }}
          >
            Withdraw {people("withdraw")}
          </Button>
        </Group>
      </Modal>
    </Group>
  );
}
