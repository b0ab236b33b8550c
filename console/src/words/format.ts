/** How numbers, sizes, durations and times are written. The one place for it. */

const whole = new Intl.NumberFormat("en-GB");

export const number = (n: number) => whole.format(n);

export function size(octets: number): string {
  if (octets >= 1e9) return `${(octets / 1e9).toFixed(1)} GB`;
  if (octets >= 1e6) return `${(octets / 1e6).toFixed(1)} MB`;
  if (octets >= 1e3) return `${Math.round(octets / 1e3)} kB`;
  return `${octets} B`;
}

export function duration(seconds: number): string {
  if (seconds < 90) return `${Math.round(seconds)} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  if (seconds < 36 * 3600) return `${(seconds / 3600).toFixed(1)} h`;
  return `${(seconds / 86400).toFixed(1)} days`;
}

/** From the shortest to the longest; once where both are written alike. */
export function durationRange(shortest: number, longest: number): string {
  const [from, to] = [duration(shortest), duration(longest)];
  return from === to ? from : `${from} to ${to}`;
}

const clock = new Intl.DateTimeFormat("en-GB", {
  weekday: "short",
  day: "numeric",
  month: "short",
  hour: "2-digit",
  minute: "2-digit",
  timeZoneName: "short",
});
const seconds = new Intl.DateTimeFormat("en-GB", {
  day: "2-digit",
  month: "short",
  hour: "2-digit",
  minute: "2-digit",
  second: "2-digit",
});
const far = new Intl.DateTimeFormat("en-GB", {
  day: "numeric",
  month: "short",
  year: "numeric",
  hour: "2-digit",
  minute: "2-digit",
  timeZoneName: "short",
});
const day = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric" });

/** With its zone: an hour without one is half a promise. */
export const time = (iso: string) => clock.format(new Date(iso));

export const exactTime = (iso: string) => seconds.format(new Date(iso));

/** With the year and its zone: what may be far ahead or long ago. */
export const farTime = (iso: string) => far.format(new Date(iso));

export const date = (iso: string) => day.format(new Date(iso));

/** "in 3 h" or "5 min ago". */
export function relative(iso: string, now: number = Date.now()): string {
  const left = (new Date(iso).getTime() - now) / 1000;
  if (Math.abs(left) < 2) return "now";
  return left > 0 ? `in ${duration(left)}` : `${duration(-left)} ago`;
}

export const plural = (n: number, one: string, many = `${one}s`) => `${number(n)} ${n === 1 ? one : many}`;

/** What the service says, as a sentence of its own. */
export const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
