import { titleOf } from "./useArrival";

test.each([
  ["/", "Today · Easy Caravan"],
  ["/batches", "Batches · Easy Caravan"],
  ["/batches/office%20north", "office north · Easy Caravan"],
  ["/batches/engineers/survey", "Survey · engineers · Easy Caravan"],
  ["/batches/engineers/moves/ada%40old.example", "ada@old.example · engineers · Easy Caravan"],
])("the page at %s is called %s", (path, title) => {
  expect(titleOf(path)).toBe(title);
});
