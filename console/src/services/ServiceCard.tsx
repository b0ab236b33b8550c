import { Button, TextInput } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Service, unwrap } from "../api/client";
import { Bar } from "../parts/Bar";
import { Failure } from "../parts/Failure";
import { ProblemNote } from "../parts/ProblemNote";
import { size } from "../words/format";

export function ServiceCard({ service }: { service: Service }) {
  const [account, setAccount] = useState("");
  const trial = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/v1/services/{name}/try", {
          params: { path: { name: service.name } },
          body: { account: account.trim() === "" ? null : account.trim() },
        }),
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
        {service.speaks.toUpperCase()} at {service.host}:{service.port}, security {service.security}, trust{" "}
        {service.trust}, sign-in by {service.signIn}
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
        </span>
      </div>
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
      </form>
      {trial.error && <Failure error={trial.error} />}
      {trial.data && (
        <div className="stack" aria-live="polite">
          <ol style={{ margin: 0, paddingLeft: 20 }}>
            {trial.data.steps.map((step) => (
              <li key={step.name}>
                <span className={step.ok ? "good" : "bad"}>{step.ok ? "✓" : "✗"}</span> <strong>{step.name}</strong>:{" "}
                {step.result} <span className="soft">({step.milliseconds} ms)</span>
              </li>
            ))}
          </ol>
          {trial.data.problem && <ProblemNote problem={trial.data.problem} />}
        </div>
      )}
    </section>
  );
}
