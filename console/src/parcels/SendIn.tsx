import { Button, FileButton, PasswordInput } from "@mantine/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { arrivingQuery, giveUp, takeArrived, wantsPassword } from "../api/parcelQueries";
import { Bar } from "../parts/Bar";
import { notifyFailure } from "../parts/notify";
import { number, relative, size } from "../words/format";
import { byParcel, sendFile } from "./sending";

interface Sending {
  name: string;
  files: File[];
  /** Octets of all its files, and how many of them have arrived. */
  length: number;
  arrived: number;
  state: "sending" | "checking" | "password" | "sound" | "failed";
  word: string;
}

/** Parcels are sent in from here: from where it was broken off, and checked before they are among the others. */
export function SendIn({ children }: { children: ReactNode }) {
  const client = useQueryClient();
  const arriving = useQuery(arrivingQuery);
  const [sending, setSending] = useState<Sending[]>([]);
  const change = (name: string, part: Partial<Sending>) =>
    setSending((all) => all.map((s) => (s.name === name ? { ...s, ...part } : s)));

  async function send(name: string, files: File[]) {
    const length = files.reduce((sum, f) => sum + f.size, 0);
    const start: Sending = { name, files, length, arrived: 0, state: "sending", word: "" };
    setSending((all) => [...all.filter((s) => s.name !== name), start]);
    try {
      const there = new Map((await arriving.refetch()).data?.map((a) => [a.file, a.octets]));
      let before = 0;
      for (const file of files) {
        let at = there.get(file.name) ?? 0;
        if (at > file.size) {
          await giveUp(file.name);
          at = 0;
        }
        const done = before;
        await sendFile(file, at, (octets) => change(name, { arrived: done + octets }));
        before += file.size;
      }
      await take(name, null);
    } catch (error) {
      change(name, { state: "failed", word: wordOf(error) });
    }
  }

  async function take(name: string, password: string | null) {
    change(name, { state: "checking", word: "" });
    try {
      const report = await takeArrived(name, password);
      const [first] = report.findings;
      change(
        name,
        first
          ? { state: "failed", word: `It is damaged and was not taken: ${first.file}, ${first.what}. Send it again.` }
          : {
              state: "sound",
              word: `${number(report.items)} items of ${report.account}, every octet as it was packed`,
            },
      );
    } catch (error) {
      change(name, { state: wantsPassword(error) ? "password" : "failed", word: wordOf(error) });
    }
    void client.invalidateQueries({ queryKey: ["parcels"] });
  }

  async function forget(file: string) {
    try {
      await giveUp(file);
    } catch (error) {
      notifyFailure(error as Error);
    }
    void arriving.refetch();
  }

  const names = new Set(sending.flatMap((s) => s.files.map((f) => f.name)));
  const left = arriving.data?.filter((a) => !names.has(a.file)) ?? [];
  return (
    <section className="stack" aria-label="Pack somebody, or send a parcel in">
      <div className="row">
        {children}
        <FileButton
          multiple
          accept=".zip"
          onChange={(files) => {
            for (const [name, parts] of byParcel(files)) void send(name, parts);
          }}
        >
          {(props) => (
            <Button {...props} variant="default">
              Send a parcel in
            </Button>
          )}
        </FileButton>
        <span className="soft">
          Packed elsewhere: choose all its files. After a lost connection, choose them again; what has arrived stays.
        </span>
      </div>
      {sending.map((s) => (
        <div key={s.name} className="sheet padded stack" style={{ gap: 4 }}>
          <div className="row spread">
            <strong>{s.name}</strong>
            <span className={s.state === "failed" ? "bad" : s.state === "sound" ? "good" : "soft"} role="status">
              {STATES[s.state]} {s.state === "sending" && `${size(s.arrived)} of ${size(s.length)}`}
            </span>
          </div>
          {s.state === "sending" && (
            <Bar share={s.length === 0 ? 0 : s.arrived / s.length} label={`${s.name} is sent`} />
          )}
          {s.word && <div>{s.word}</div>}
          {s.state === "password" && <Password onGiven={(password) => void take(s.name, password)} />}
        </div>
      ))}
      {left.map((a) => (
        <div key={a.file} className="sheet padded row spread">
          <span>
            {a.file}: {size(a.octets)} have arrived, {relative(a.changedAt)}, and are not checked yet. Choose it again
            to send the rest.
          </span>
          <Button size="xs" variant="default" onClick={() => void forget(a.file)}>
            Forget it
          </Button>
        </div>
      ))}
    </section>
  );
}

const STATES: Record<Sending["state"], string> = {
  sending: "▸ is sent,",
  checking: "▸ every octet is checked",
  password: "encrypted",
  sound: "✓ is there",
  failed: "! was not taken",
};

const wordOf = (error: unknown) => (error instanceof Error ? error.message : String(error));

function Password({ onGiven }: { onGiven: (password: string) => void }) {
  const [password, setPassword] = useState("");
  return (
    <form
      className="row"
      onSubmit={(e) => {
        e.preventDefault();
        if (password) onGiven(password);
      }}
    >
      <PasswordInput
        aria-label="The parcel's password"
        placeholder="Its password"
        autoComplete="off"
        style={{ width: 260 }}
        value={password}
        onChange={(e) => setPassword(e.currentTarget.value)}
      />
      <Button type="submit" variant="default">
        Check it
      </Button>
    </form>
  );
}
