import { Button } from "@mantine/core";
import { IconDownload } from "@tabler/icons-react";
import { useState } from "react";
import { type CsvColumn, download, toCsv } from "../words/csv";
import { notifyFailure } from "./notify";

interface Props<T> {
  name: string;
  /** At hand, or fetched when they are asked for. */
  rows: T[] | (() => Promise<T[]>);
  columns: CsvColumn<T>[];
}

export function CsvButton<T>({ name, rows, columns }: Props<T>) {
  const [fetching, setFetching] = useState(false);
  const save = async () => {
    setFetching(true);
    try {
      download(`${name}.csv`, toCsv(Array.isArray(rows) ? rows : await rows(), columns));
    } catch (error) {
      notifyFailure(error as Error);
    } finally {
      setFetching(false);
    }
  };
  return (
    <Button
      variant="subtle"
      size="xs"
      mt={6}
      leftSection={<IconDownload size={14} aria-hidden />}
      loading={fetching}
      onClick={() => void save()}
    >
      As CSV
    </Button>
  );
}
