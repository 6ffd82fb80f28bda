/**
 * A field with quotes, commas or line breaks is quoted, quotes are doubled. Source: RFC 4180. Words that a spreadsheet would take for a formula
 * (a file may be called "=1+1.fits") get an apostrophe before them; numbers stay as they are.
 */
function field(value: string | number | null): string {
  if (value === null) return "";
  const text = typeof value === "string" && /^[=+\-@\t\r]/.test(value) ? `'${value}` : String(value);
  return /[",\r\n]/.test(text) ? `"${text.replace(/"/g, '""')}"` : text;
}

/** A line of a CSV file. */
export const line = (values: (string | number | null)[]): string => `${values.map(field).join(",")}\r\n`;
