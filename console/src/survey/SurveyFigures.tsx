import type { Schemas } from "../api/client";
import { number, size } from "../words/format";

export function SurveyFigures({ survey }: { survey: Schemas["BatchSurvey"] }) {
  const figures = [
    { label: "messages found", value: number(survey.messages) },
    { label: "in size", value: size(survey.octets) },
    { label: "messages to carry", value: number(survey.carryMessages) },
    { label: "to carry in size", value: size(survey.carryOctets) },
    { label: "on the new side already", value: number(survey.toMessages) },
    ...survey.kinds
      .filter((k) => k.kind !== "mail")
      .map((k) => ({
        label: `${k.kind === "contacts" ? "contacts" : "events"}, ${number(k.carryItems)} to carry`,
        value: number(k.items),
      })),
    { label: "sign-in fails", value: number(survey.closed) },
  ];
  return (
    <div className="sheet padded figures">
      {figures.map((f) => (
        <div className="figure" key={f.label}>
          <strong>{f.value}</strong>
          <span>{f.label}</span>
        </div>
      ))}
    </div>
  );
}
