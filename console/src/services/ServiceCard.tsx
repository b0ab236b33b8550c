import { Button, TextInput } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Service, unwrap } from "../api/client";
import { Bar } from "../parts/Bar";
import { Failure } from "../parts/Failure";
import { plural, size, time } from "../words/format";
import { ConsentBox } from "./ConsentBox";
import { TrialSteps } from "./TrialSteps";

export function ServiceCard({ service }: { service: Service }) {
  const [account, setAccount] = useState("");
  const named = account.trim() === "" ? null : account.trim();
  const trial = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/v1/services/{name}/try", { params: { path: { name: service.name } }, body: { account: named } }),
      ),
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    trial.mutate();
  };
  return (
    <section className="sheet padded stack" aria-label={service.name}>
      <h2 style={{ margin: 0 }}>{service.name}</h2>
      <div>
        {service.speaks &&
          `${service.speaks.toUpperCase()} at ${service.host}:${service.port}, security ${service.security}; `}
        {service.contacts && `contacts at ${service.contacts}; `}
        {service.calendars && `calendars at ${service.calendars}; `}
        trust {service.trust}, sign-in by {service.signIn}
        {service.rules && `; rules by ${service.rules}`}
      </div>
      {service.warnings.map((w) => (
        <p className="warn-note" key={w} style={{ margin: 0 }}>
          {w}
        </p>
      ))}
      <div className="row">
        <Bar share={service.inUse / service.connections} label={`${service.name}: connections in use`} />
        <span className="soft">
          {service.inUse} of {service.connections} connections, {service.perAccount} to one account
          {service.largestMessage !== null && `, messages up to ${size(service.largestMessage)}`}
          {service.bytesPerDay !== null && `, ${size(service.bytesPerDay)} a day for one account`}
        </span>
      </div>
      {service.pausedUntil ? (
        <p className="warn-note" style={{ margin: 0 }}>
          In trouble: {service.trouble}. All moves over it wait until {time(service.pausedUntil)}; then one of them
          tries for all.
        </p>
      ) : service.waiting > 0 ? (
        <p className="warn-note" style={{ margin: 0 }}>
          {plural(service.waiting, "move waits", "moves wait")} for it: {service.trouble}. They go on by themselves.
        </p>
      ) : (
        <div className="good">✓ No move waits for it.</div>
      )}
      {service.pace && (
        <p className="soft" style={{ margin: 0 }}>
          {service.pace}
        </p>
      )}
      <form className="row" onSubmit={submit}>
        <TextInput
          aria-label={`Account to try at ${service.name}`}
          placeholder="An account of a roster (optional)"
          value={account}
          onChange={(e) => setAccount(e.currentTarget.value)}
          style={{ flex: 1 }}
        />
        <Button type="submit" variant="default" loading={trial.isPending}>
          Try
        </Button>
        {service.consent && <ConsentBox service={service.name} account={named} />}
      </form>
      {trial.error && <Failure error={trial.error} />}
      {trial.data && <TrialSteps trial={trial.data} />}
      {service.help.length > 0 && (
        <div className="soft">Known remedies: {service.help.map((h) => `“${h.says}”: ${h.remedy}`).join("; ")}.</div>
      )}
    </section>
  );
}
