import { Button, Group, Modal, PasswordInput, Select, Textarea, TextInput } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { errandsQuery, pack } from "../api/parcelQueries";
import { batchesQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { notifySuccess } from "../parts/notify";
import { plural } from "../words/format";
import { ALL, ChoiceFields, chosen } from "./ChoiceFields";

interface Props {
  opened: boolean;
  onClose: () => void;
}

/** Who is packed, what of them, and how. */
export function PackForm({ opened, onClose }: Props) {
  return (
    <Modal opened={opened} onClose={onClose} title="Pack somebody" size="lg">
      {opened && <Form onClose={onClose} />}
    </Modal>
  );
}

const MEGA = 1_000_000;

function Form({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const batches = useQuery(batchesQuery);
  const errands = useQuery(errandsQuery);
  const [accounts, setAccounts] = useState("");
  const [batch, setBatch] = useState<string | null>(null);
  const [choice, setChoice] = useState(ALL);
  const [password, setPassword] = useState("");
  const [partSize, setPartSize] = useState("");
  const [keepUntil, setKeepUntil] = useState("");
  // Pressed twice, it is asked for once.
  const [key] = useState(() => crypto.randomUUID());
  const names = accounts.split(/[\s,;]+/).filter((a) => a !== "");
  const ask = useMutation({
    mutationFn: () =>
      pack({
        key,
        accounts: batch ? null : names,
        batch,
        side: null,
        service: null,
        ...chosen(choice),
        largest: null,
        password: password || null,
        partSize: partSize ? Math.round(Number(partSize) * MEGA) : null,
        place: null,
        keepUntil: keepUntil ? new Date(`${keepUntil}T23:59:59Z`).toISOString() : null,
      }),
    onSuccess: (errand) => {
      notifySuccess(`${plural(errand.people, "account")} will be packed: ${errand.name}`);
      void client.invalidateQueries({ predicate: (q) => ["parcels", "batches"].includes(String(q.queryKey[0])) });
      onClose();
    },
  });
  const own = new Set(errands.data?.map((e) => e.name));
  const canAsk = (batch !== null || names.length > 0) && choice.kinds.length > 0;
  function submit(event: FormEvent) {
    event.preventDefault();
    if (canAsk) ask.mutate();
  }
  return (
    <form onSubmit={submit} className="stack">
      <Textarea
        label="Accounts"
        description="As the rosters know them, on either side; parted by blanks or lines"
        placeholder="aoife.marsh@saltmarsh.example"
        autosize
        minRows={2}
        maxRows={6}
        disabled={batch !== null}
        value={accounts}
        onChange={(e) => setAccounts(e.currentTarget.value)}
        data-autofocus
      />
      <Select
        label="Or everybody of a batch"
        placeholder="no batch"
        clearable
        data={(batches.data ?? []).map((b) => b.name).filter((n) => !own.has(n))}
        value={batch}
        onChange={setBatch}
      />
      <ChoiceFields value={choice} onChange={setChoice} />
      <Group grow align="start">
        <PasswordInput
          label="Password"
          description="Empty: the parcels are not encrypted"
          autoComplete="new-password"
          value={password}
          onChange={(e) => setPassword(e.currentTarget.value)}
        />
        <TextInput
          label="Largest file, in MB"
          description="Empty: one file for each run"
          inputMode="numeric"
          value={partSize}
          error={partSize !== "" && !(Number(partSize) >= 1) ? "a number from 1 on" : null}
          onChange={(e) => setPartSize(e.currentTarget.value)}
        />
        <TextInput
          type="date"
          label="Kept until"
          description="Empty: until somebody deletes it"
          value={keepUntil}
          onChange={(e) => setKeepUntil(e.currentTarget.value)}
        />
      </Group>
      {ask.error && <Failure error={ask.error} />}
      <Button type="submit" disabled={!canAsk} loading={ask.isPending} style={{ alignSelf: "start" }}>
        {batch ? "Pack this batch" : names.length > 1 ? `Pack ${names.length} accounts` : "Pack it"}
      </Button>
    </form>
  );
}
