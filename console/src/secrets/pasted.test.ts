import { expect, it } from "vitest";
import { readPasted } from "./pasted";

it("reads a list as spreadsheets give it, and leaves passwords as they are", () => {
  const text = "orla@saltmarsh.example\tp,a;s s \nJonas Kettle; 12,5\r\n\nno password here\n";
  expect(readPasted(text)).toEqual([
    { who: "orla@saltmarsh.example", secret: "p,a;s s ", login: null },
    { who: "Jonas Kettle", secret: "12,5", login: null },
  ]);
});
