// A list as a file: comma-separated values (RFC 4180), with a mark of order for programs that take other encodings for
// granted. A cell that a spreadsheet would run as a formula is written as text.
import Papa from "papaparse";

export function csvOf(heads: string[], rows: (string | number)[][]): string {
  return "\uFEFF" + Papa.unparse({ fields: heads, data: rows }, { escapeFormulae: true });
}

/** Hands a file to the browser to be saved. */
export function saveCsv(name: string, heads: string[], rows: (string | number)[][]) {
  const url = URL.createObjectURL(new Blob([csvOf(heads, rows)], { type: "text/csv;charset=utf-8" }));
  const link = document.createElement("a");
  link.href = url;
  link.download = name;
  link.click();
  URL.revokeObjectURL(url);
}
