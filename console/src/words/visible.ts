/**
 * Controls (C0, C1, DEL), separators of lines and paragraphs, and marks that turn the direction of text or have no width. Joiners belong to
 * letters.
 */
const STEERS = new RegExp(
  "[\\u0000-\\u001f\\u007f-\\u009f\\u00ad\\u061c\\u180e\\u200b\\u200e\\u200f\\u2028-\\u202e\\u2060-\\u206f\\ufeff\\ufff9-\\ufffb]" +
    "|\\p{Cs}|[\\u{e0000}-\\u{e007f}]",
  "gu",
);

/**
 * Text of others (names, subjects, what servers say) as people are to see it: marks that steer are shown as what they are, so that no text
 * looks like something else.
 */
export function visible(text: string, keepsLines = false): string {
  return text.replace(STEERS, (mark) => {
    if (keepsLines && (mark === "\n" || mark === "\r" || mark === "\t")) return mark;
    const code = mark.codePointAt(0) ?? 0;
    return `‹U+${code.toString(16).toUpperCase().padStart(4, "0")}›`;
  });
}
