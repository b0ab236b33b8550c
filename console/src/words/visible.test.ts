import { visible } from "./visible";

test.each([
  ["Zoë 🚢 日本 العربية", "Zoë 🚢 日本 العربية"],
  ["می\u200cخواهم 👩\u200d✈️", "می\u200cخواهم 👩\u200d✈️"],
  ["\u001b[2J", "‹U+001B›[2J"],
  ["invoice\u202efdp.exe", "invoice‹U+202E›fdp.exe"],
  ["a\r\nb\u2028c", "a‹U+000D›‹U+000A›b‹U+2028›c"],
  ["\ud800x", "‹U+D800›x"],
  ["a\u200bb\u{e0041}", "a‹U+200B›b‹U+E0041›"],
])("%j is shown as %j", (text, shown) => {
  expect(visible(text)).toBe(shown);
});

test("a text of several lines keeps its lines", () => {
  expect(visible("a\n\tb\u001b", true)).toBe("a\n\tb‹U+001B›");
});
