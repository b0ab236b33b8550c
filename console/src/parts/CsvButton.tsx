import { Button } from "@mantine/core";
import { IconDownload } from "@tabler/icons-react";
import type { CsvColumn } from "../words/csv";
import { useCsv } from "./useCsv";

interface Props<T> {
  name: string;
  /** At hand, or fetched when they are asked for. */
  rows: T[] | (() => Promise<T[]>);
  columns: CsvColumn<T>[];
}

export function CsvButton<T>({ name, rows, columns }: Props<T>) {
  const { save, saving } = useCsv(name, columns);
  return (
    <Button
      variant="subtle"
      size="xs"
      mt={6}
      leftSection={<IconDownload size={14} aria-hidden />}
      loading={saving}
      onClick={() => void save(rows)}
    >
      As CSV
    </Button>
  );
}
