import { Button, Modal, PasswordInput, Textarea, TextInput } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { ApiError, type Schemas } from "../api/client";
import { concerns } from "../api/live";
import { setSecrets } from "../api/timetableQueries";
import { notifySuccess } from "../parts/notify";
import { plural } from "../words/format";
import { readPasted } from "./pasted";

interface Props {
  /** Who is asked for, all of one batch; with one of them the form asks for one password, else for a list. */
  people: Schemas["MoveRef"][];
  side: Schemas["SideWord"];
  word?: string;
}

/** A button that asks for new passwords: they are sealed at once, never shown again, and whoever waited for them goes on. */
export function SecretForm({ people, side, word = "New password" }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button variant="default" onClick={() => setOpen(true)}>
        {word}
      </Button>
      <Modal opened={open} onClose={() => setOpen(false)} title={titleOf(people, side)} size="lg">
        {open && <Fields people={people} side={side} onDone={() => setOpen(false)} />}
      </Modal>
    </>
  );
}

function titleOf(people: Props["people"], side: Props["side"]): string {
  const whose = people.length === 1 ? people[0]?.name : plural(people.length, "person", "people");
  return `New password on the ${side === "from" ? "old" : "new"} side, ${whose}`;
}

function Fields({ people, side, onDone }: { people: Props["people"]; side: Props["side"]; onDone: () => void }) {
  const client = useQueryClient();
  const [login, setLogin] = useState("");
  const [text, setText] = useState("");
  const [first] = people;
  const batch = first?.batch ?? "";
  const set = useMutation({
    mutationFn: (secrets: Schemas["SecretGiven"][]) => setSecrets(batch, { side, secrets }),
    onSuccess: (result) => {
      notifySuccess(
        `${plural(result.set, "password")} set; ${plural(result.goesOn.length, "person goes", "people go")} on by themselves`,
      );
      void client.invalidateQueries({ predicate: (q) => concerns(q.queryKey, new Set([batch])) });
      onDone();
    },
  });
  const isOne = people.length === 1;
  const pasted = isOne ? [] : readPasted(text);
  const send = (event: FormEvent) => {
    event.preventDefault();
    if (!isOne) set.mutate(pasted);
    else if (first) set.mutate([{ who: first.account, secret: text || null, login: login.trim() || null }]);
  };
  return (
    <form className="stack" onSubmit={send} autoComplete="off">
      {isOne ? (
        <>
          <TextInput
            label="Login"
            description="Leave it empty where it stays as it is"
            value={login}
            onChange={(e) => setLogin(e.currentTarget.value)}
            autoComplete="off"
          />
          <PasswordInput
            label="Password, app password or token"
            value={text}
            onChange={(e) => setText(e.currentTarget.value)}
            autoComplete="new-password"
            data-autofocus
          />
        </>
      ) : (
        <Textarea
          label="One person a line: account or name, then a tab, comma or semicolon, then the password"
          description={pasted.length > 0 ? `${plural(pasted.length, "line")} read` : "Paste it from a spreadsheet"}
          minRows={6}
          autosize
          maxRows={14}
          value={text}
          onChange={(e) => setText(e.currentTarget.value)}
          autoComplete="off"
          spellCheck={false}
          data-autofocus
        />
      )}
      {set.error && (
        <div className="error-note" role="alert">
          <p>
            <strong>{set.error.message}</strong>
          </p>
          {set.error instanceof ApiError && <p>{set.error.remedy}</p>}
        </div>
      )}
      <div className="soft">
        It is sealed at once and shown to nobody again. The journal says that it was set, and by whom.
      </div>
      <div className="row">
        <Button type="submit" loading={set.isPending} disabled={isOne ? !text && !login.trim() : pasted.length === 0}>
          Set
        </Button>
        <Button variant="default" onClick={onDone}>
          Cancel
        </Button>
      </div>
    </form>
  );
}
