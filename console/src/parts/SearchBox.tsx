import { TextInput } from "@mantine/core";
import { IconSearch } from "@tabler/icons-react";
import { useEffect, useState } from "react";

/** How long somebody rests before it is searched, in milliseconds. */
const REST = 200;

interface Props {
  label: string;
  placeholder: string;
  value: string;
  onSearch: (words: string) => void;
  width?: number;
}

/** Searches when whoever types rests. */
export function SearchBox({ label, placeholder, value, onSearch, width = 280 }: Props) {
  const [typed, setTyped] = useState(value);
  // What the address says counts, when it changes by itself: somebody went back.
  useEffect(() => setTyped(value), [value]);
  useEffect(() => {
    if (typed === value) return;
    const timer = setTimeout(() => onSearch(typed), REST);
    return () => clearTimeout(timer);
  }, [typed, value, onSearch]);
  return (
    <TextInput
      aria-label={label}
      placeholder={placeholder}
      leftSection={<IconSearch size={16} aria-hidden />}
      value={typed}
      onChange={(e) => setTyped(e.currentTarget.value)}
      w={width}
    />
  );
}
