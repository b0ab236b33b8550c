import { visible } from "../words/visible";

/** What people read of an element, besides what stands within it. */
const READ = ["title", "alt", "aria-label", "label", "placeholder", "description"];

/** Their text is not read by people, or is edited as it is. */
const RAW = new Set<unknown>(["style", "script", "textarea"]);

type Props = Record<string, unknown>;

/** The properties of an element with all text made visible: every element of the console is made here, so none can be forgotten. */
export function shown(type: unknown, props: Props): Props {
  if (RAW.has(type)) return props;
  let changed: Props | undefined;
  const keepsLines = type === "pre" || `${(props.style as Props | undefined)?.whiteSpace ?? ""}`.startsWith("pre");
  const put = (name: string, value: unknown) => {
    if (value !== props[name]) changed = { ...(changed ?? props), [name]: value };
  };
  for (const name of READ) if (typeof props[name] === "string") put(name, visible(props[name]));
  if (Array.isArray(props.data)) put("data", choices(props.data));
  const { children } = props;
  if (typeof children === "string") put("children", visible(children, keepsLines));
  else if (Array.isArray(children) && children.some((c) => typeof c === "string" && visible(c, keepsLines) !== c))
    put(
      "children",
      children.map((c) => (typeof c === "string" ? visible(c, keepsLines) : c)),
    );
  return changed ?? props;
}

/** The entries of a selection list, whose elements a library makes: what is read of them is made visible, what they stand for stays. */
function choices(data: unknown[]): unknown[] {
  const seen = data.map((entry) => {
    if (typeof entry === "string") return visible(entry) === entry ? entry : { value: entry, label: visible(entry) };
    const label = (entry as Props | null)?.label;
    return typeof label === "string" && visible(label) !== label
      ? { ...(entry as Props), label: visible(label) }
      : entry;
  });
  return seen.some((entry, at) => entry !== data[at]) ? seen : data;
}
