import type { Schemas } from "../api/client";

type Landing = Schemas["CollectionLandingView"];
type Word = Schemas["ItemForecastWord"];

export const FORECAST_WORDS: Record<Word, string> = {
  new: "new",
  same: "the same",
  merge: "to merge",
  unclear: "unclear",
  unreadable: "unreadable",
};

export function sumOf(landings: Landing[]): Record<Word, number> {
  const sum: Record<Word, number> = { new: 0, same: 0, merge: 0, unclear: 0, unreadable: 0 };
  for (const { forecast } of landings)
    if (forecast) for (const word of Object.keys(sum) as Word[]) sum[word] += forecast[word];
  return sum;
}

export function landsIn(landing: Landing) {
  if (landing.to === null) return <span className="soft">stays behind</span>;
  return (
    <>
      {landing.to} {landing.isNew && <span className="soft">(made new)</span>}
    </>
  );
}
