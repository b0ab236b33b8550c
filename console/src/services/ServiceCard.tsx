import { Button, TextInput } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Service, unwrap } from "../api/client";
import { Bar } from "../parts/Bar";
import { Failure } from "../parts/Failure";
import { plural, size, time } from "../words/format";
import { ConsentBox } from "./ConsentBox";
import { ConsentLinks } from "./ConsentLinks";
import { TrialSteps } from "./TrialSteps";

export function ServiceCard({ service }: { service: Service }) {
  const { mail, limits, use } = service;
  // Nobody signs in at files, and they bear any number of readers.
  const isServer = service.signIn !== "none";
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
        {mail && `${mail.speaks.toUpperCase()} at ${mail.host}:${mail.port}, security ${mail.security}; `}
        {service.contacts && `contacts at ${service.contacts}; `}
        {service.calendars && `calendars at ${service.calendars}; `}
        {service.parcels && `accounts packed in ${service.parcels}`}
        {service.mailFiles && `mail in files: ${service.mailFiles}`}
        {isServer && `trust ${service.trust}, sign-in by ${service.signIn}`}
        {service.rules && `; rules by ${service.rules}`}
      </div>
      {service.warnings.map((w) => (
        <p className="warn-note" key={w} style={{ margin: 0 }}>
          {w}
        </p>
      ))}
      {isServer && (
        <div className="row">
          <Bar share={use.connections / limits.connections} label={`${service.name}: connections in use`} />
          <span className="soft">
            {use.connections} of {limits.connections} connections, {limits.perAccount} to one account
            {limits.largestMessage !== null && `, messages up to ${size(limits.largestMessage)}`}
            {limits.bytesPerDay !== null && `, ${size(limits.bytesPerDay)} a day for one account`}
          </span>
        </div>
      )}
      {use.pausedUntil ? (
        <p className="warn-note" style={{ margin: 0 }}>
          In trouble: {use.trouble}. All moves over it wait until {time(use.pausedUntil)}; then one of them tries for
          all.
        </p>
      ) : use.waiting > 0 ? (
        <p className="warn-note" style={{ margin: 0 }}>
          {plural(use.waiting, "move waits", "moves wait")} for it: {use.trouble}. They go on by themselves.
        </p>
      ) : (
        <div className="good">✓ No move waits for it.</div>
      )}
      {use.pace && (
        <p className="soft" style={{ margin: 0 }}>
          {use.pace}
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
        {service.consent && (
          <>
            <ConsentBox service={service.name} account={named} />
            <ConsentLinks service={service.name} batch={null} />
          </>
        )}
      </form>
      {trial.error && <Failure error={trial.error} />}
      {trial.data && <TrialSteps trial={trial.data} />}
      {service.help.length > 0 && (
        <div className="soft">Known remedies: {service.help.map((h) => `“${h.says}”: ${h.remedy}`).join("; ")}.</div>
      )}
    </section>
  );
}
