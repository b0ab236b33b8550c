import { Button, Checkbox, Group, Modal, TextInput } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { type FormEvent, useState } from "react";
import type { Kind } from "../api/client";
import { type Look, open } from "../api/parcelQueries";
import { Failure } from "../parts/Failure";
import { notifySuccess } from "../parts/notify";
import { farTime } from "../words/format";
import { ALL, ChoiceFields, chosen } from "./ChoiceFields";

interface Props {
  look: Look;
  /** Whose parcel it is. */
  account: string;
  kinds: Kind[];
  opened: boolean;
  onClose: () => void;
}

/** Puts a parcel into an account. Whatever is there already is recognised and not doubled. */
export function OpenForm(props: Props) {
  return (
    <Modal opened={props.opened} onClose={props.onClose} title="Put it into an account" size="lg">
      {props.opened && <Form {...props} />}
    </Modal>
  );
}

function Form({ look, account, kinds, onClose }: Props) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [into, setInto] = useState(account);
  const [whose, setWhose] = useState("");
  const [service, setService] = useState("");
  const [under, setUnder] = useState("");
  const [root, setRoot] = useState("");
  const [dryRun, setDryRun] = useState(false);
  const [choice, setChoice] = useState({ ...ALL, kinds });
  const [key] = useState(() => crypto.randomUUID());
  const isOther = into.trim().toLowerCase() !== account.toLowerCase();
  const ask = useMutation({
    mutationFn: () =>
      open({
        key,
        place: look.place,
        name: look.name,
        into: into.trim(),
        service: service.trim() || null,
        confirmAccount: isOther ? whose.trim() : null,
        password: look.password,
        ...chosen(choice),
        kinds: choice.kinds.length === kinds.length ? null : choice.kinds,
        under: under.trim() || null,
        root: root.trim() || null,
        asOf: look.asOf,
        dryRun,
      }),
    onSuccess: (errand) => {
      notifySuccess(dryRun ? `${errand.name} is surveyed, and waits for you` : `${errand.name} has begun`);
      void client.invalidateQueries({ predicate: (q) => ["parcels", "batches"].includes(String(q.queryKey[0])) });
      onClose();
      void navigate({ to: "/batches/$batch", params: { batch: errand.name } });
    },
  });
  function submit(event: FormEvent) {
    event.preventDefault();
    ask.mutate();
  }
  const isConfirmed = !isOther || whose.trim().toLowerCase() === account.toLowerCase();
  return (
    <form className="stack" onSubmit={submit}>
      {look.asOf && <p style={{ margin: 0 }}>The parcel is put there as it was on {farTime(look.asOf)}.</p>}
      <Group grow align="start">
        <TextInput
          label="Account"
          description="As the rosters know it, on either side"
          value={into}
          onChange={(e) => setInto(e.currentTarget.value)}
          data-autofocus
        />
        <TextInput
          label="At the service"
          description="Needed where a roster has it at two"
          value={service}
          onChange={(e) => setService(e.currentTarget.value)}
        />
      </Group>
      {isOther && into.trim() !== "" && (
        <TextInput
          label={`The parcel holds ${account}. Write that account once more, if it shall go into another one`}
          value={whose}
          onChange={(e) => setWhose(e.currentTarget.value)}
          error={whose !== "" && !isConfirmed ? "This is not the parcel's account" : null}
        />
      )}
      <ChoiceFields value={choice} kinds={kinds} onChange={setChoice} />
      <Group grow align="start">
        <TextInput
          label="Below a folder"
          description="Empty: where it was"
          placeholder="Old mail"
          value={under}
          onChange={(e) => setUnder(e.currentTarget.value)}
        />
        <TextInput
          label="Another root"
          description="Such as that of the account's archive"
          placeholder="Archive"
          value={root}
          onChange={(e) => setRoot(e.currentTarget.value)}
        />
      </Group>
      <Checkbox
        label="Only look: survey both sides, and let me start it"
        checked={dryRun}
        onChange={(e) => setDryRun(e.currentTarget.checked)}
      />
      {ask.error && <Failure error={ask.error} />}
      <Button
        type="submit"
        loading={ask.isPending}
        disabled={into.trim() === "" || !isConfirmed || choice.kinds.length === 0}
        style={{ alignSelf: "start" }}
      >
        {dryRun ? "Look at it" : "Put it there"}
      </Button>
    </form>
  );
}
