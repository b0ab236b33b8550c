/** A progress bar from 0 to 1, with a text for screen readers. */
export function Bar({ share, label }: { share: number; label: string }) {
  const percent = Math.round(Math.min(1, Math.max(0, share)) * 100);
  return (
    <div
      className="bar"
      role="progressbar"
      aria-label={label}
      aria-valuenow={percent}
      aria-valuemin={0}
      aria-valuemax={100}
    >
      <div style={{ width: `${percent}%` }} />
    </div>
  );
}
