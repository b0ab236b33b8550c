import { Button } from "@mantine/core";
import { IconDownload } from "@tabler/icons-react";
import { type CsvColumn, download, toCsv } from "../words/csv";

export function CsvButton<T>({ name, rows, columns }: { name: string; rows: T[]; columns: CsvColumn<T>[] }) {
  return (
    <Button
      variant="subtle"
      size="xs"
      mt={6}
      leftSection={<IconDownload size={14} aria-hidden />}
      onClick={() => download(`${name}.csv`, toCsv(rows, columns))}
    >
      As CSV
    </Button>
  );
}
