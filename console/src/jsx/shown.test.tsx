import { render } from "@testing-library/react";
import { shown } from "./shown";

test("names of others cannot steer a page, wherever they stand", () => {
  const name = "gpj\u202e.exe\u001b[2J\nx";
  const { container } = render(
    <p title={name}>
      Folder <b>{name}</b> and {name}
    </p>,
  );
  const seen = "gpj‹U+202E›.exe‹U+001B›[2J‹U+000A›x";
  expect(container.textContent).toBe(`Folder ${seen} and ${seen}`);
  expect(container.querySelector("p")?.title).toBe(seen);
});

test("a text of several lines keeps them, and what is edited stays as it is", () => {
  const { container } = render(
    <>
      <pre>{"a\nb\u0007"}</pre>
      <input readOnly value={"a\u202eb"} />
    </>,
  );
  expect(container.querySelector("pre")?.textContent).toBe("a\nb‹U+0007›");
  expect(container.querySelector("input")?.value).toBe("a\u202eb");
});

test("the entries of a selection list are made visible, and stand for what they stood for", () => {
  const data = ["a\u202eb", { value: "x\u202e", label: "Quay\u001b[2J" }, { value: "y", label: "Quay" }];
  expect(shown("Select", { data }).data).toEqual([
    { value: "a\u202eb", label: "a‹U+202E›b" },
    { value: "x\u202e", label: "Quay‹U+001B›[2J" },
    { value: "y", label: "Quay" },
  ]);
  const plain = { data: ["a", { value: "b", label: "B" }] };
  expect(shown("Select", plain)).toBe(plain);
});
