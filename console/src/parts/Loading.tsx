import { Skeleton } from "@mantine/core";

/** The outline of a page whose content is still on its way. */
export function Loading() {
  return (
    <div className="stack" role="status" aria-label="Loading">
      <Skeleton height={30} width={280} />
      <Skeleton height={18} width={420} />
      <Skeleton height={160} mt="md" />
      <Skeleton height={160} />
    </div>
  );
}
