import { TextInput } from "@mantine/core";
import { IconSearch } from "@tabler/icons-react";
import { useEffect, useState } from "react";

/** The search starts this many milliseconds after the last key. */
const REST = 200;

interface Props {
  label: string;
  placeholder: string;
  value: string;
  onSearch: (words: string) => void;
  width?: number;
}

/** A search field that waits until typing pauses. */
export function SearchBox({ label, placeholder, value, onSearch, width = 280 }: Props) {
  const [typed, setTyped] = useState(value);
  // When the address changes by itself, as after the Back button, the field takes the text from it.
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
