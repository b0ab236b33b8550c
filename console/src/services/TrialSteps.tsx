import type { Schemas } from "../api/client";
import { CsvButton } from "../parts/CsvButton";
import { sentence } from "../words/format";

/** Each step of a connection test with its duration; for a failed step the reason and the remedy. */
export function TrialSteps({ trial }: { trial: Schemas["ServiceTrial"] }) {
  return (
    <div className="stack" aria-live="polite">
      <table className="grid tall">
        <thead>
          <tr>
            <th scope="col">Step</th>
            <th scope="col">Result</th>
            <th scope="col" className="num">
              Time
            </th>
          </tr>
        </thead>
        <tbody>
          {trial.steps.map((step) => (
            <tr key={`${step.connection} ${step.name}`}>
              <td className="nowrap">
                <span className={step.ok ? "good" : "bad"}>{step.ok ? "✓" : "✗"}</span>{" "}
                <span className="soft">{step.connection}:</span> {step.name}
                <span className="visually-hidden">{step.ok ? " (well)" : " (failed)"}</span>
              </td>
              <td className="breaks">
                {step.ok ? step.result : <strong>{sentence(step.result)}.</strong>}
                {step.remedy && <div>{step.remedy}.</div>}
              </td>
              <td className="num nowrap">{step.milliseconds} ms</td>
            </tr>
          ))}
        </tbody>
      </table>
      {trial.ok && <div className="good">✓ All is well.</div>}
      <div>
        <CsvButton
          name={`trial-${trial.service}`}
          rows={trial.steps}
          columns={[
            { title: "connection", value: (s) => s.connection },
            { title: "step", value: (s) => s.name },
            { title: "ok", value: (s) => String(s.ok) },
            { title: "result", value: (s) => s.result },
            { title: "milliseconds", value: (s) => s.milliseconds },
            { title: "remedy", value: (s) => s.remedy },
          ]}
        />
      </div>
    </div>
  );
}
