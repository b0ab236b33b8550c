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

it("shows what would steer, and takes a number for a number", () => {
  expect(toCsv([{ name: "\r=1\u202e", n: 1 }], columns)).toBe("name,n\r\n'‹U+000D›=1‹U+202E›,1\r\n");
  expect(toCsv([{ name: "-5", n: 1 }], columns)).toBe("name,n\r\n-5,1\r\n");
  expect(toCsv([{ name: "+353 1", n: 1 }], columns)).toBe("name,n\r\n'+353 1,1\r\n");
});
