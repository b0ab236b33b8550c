import { Button, CopyButton, Select, TextInput } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { makeToken, tokensQuery } from "../api/tokenQueries";
import { Failure } from "../parts/Failure";
import { farTime } from "../words/format";

const LIVES = [
  { value: "7", label: "7 days" },
  { value: "30", label: "30 days" },
  { value: "90", label: "90 days" },
  { value: "365", label: "a year" },
  { value: "", label: "without an end" },
];

/** Makes a token and shows it, this once. */
export function MakeToken() {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [life, setLife] = useState("90");
  const make = useMutation({
    mutationFn: () => makeToken(name.trim(), life === "" ? null : Number(life)),
    onSuccess: () => {
      setName("");
      void client.invalidateQueries(tokensQuery);
    },
  });
  return (
    <section className="sheet padded stack" aria-label="Make a token">
      <form
        className="row"
        style={{ alignItems: "flex-end" }}
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <TextInput
          label="Name (letters, digits, . - _)"
          placeholder="nightly-report"
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
          required
          maxLength={60}
          pattern="[A-Za-z0-9._\-]+"
          autoComplete="off"
        />
        <Select
          label="It ends after"
          data={LIVES}
          value={life}
          onChange={(value) => setLife(value ?? "")}
          allowDeselect={false}
          w={180}
        />
        <Button type="submit" loading={make.isPending}>
          Make a token
        </Button>
      </form>
      {make.error && <Failure error={make.error} />}
      {make.data && (
        <div role="status" className="stack">
          <p>
            <strong>The token of {make.data.name}.</strong> Keep it now: it is not shown again.{" "}
            {make.data.endsAt ? `It ends on ${farTime(make.data.endsAt)}.` : "It has no end."}
          </p>
          <div className="row">
            <code style={{ overflowWrap: "anywhere" }}>{make.data.token}</code>
            <CopyButton value={make.data.token}>
              {({ copied, copy }) => (
                <Button size="compact-sm" variant="default" onClick={copy}>
                  {copied ? "Copied" : "Copy"}
                </Button>
              )}
            </CopyButton>
            <Button size="compact-sm" variant="subtle" onClick={() => make.reset()}>
              I have kept it
            </Button>
          </div>
        </div>
      )}
    </section>
  );
}
