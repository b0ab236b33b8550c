import { expect, it } from "vitest";
import { toCsv } from "./csv";

const columns = [
  { title: "name", value: (r: { name: string; n: number }) => r.name },
  { title: "n", value: (r: { name: string; n: number }) => r.n },
];

it("quotes what would break a line and leaves the rest alone", () => {
  expect(toCsv([{ name: 'Marsh, "A"', n: 3 }], columns)).toBe('name,n\r\n"Marsh, ""A""",3\r\n');
});

it("does not let a name become a formula, nor harm negative numbers", () => {
  expect(toCsv([{ name: "=1+1", n: -4 }], columns)).toBe("name,n\r\n'=1+1,-4\r\n");
});
