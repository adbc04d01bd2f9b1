// The number that a cell begins with, or nothing; signs and thin spaces as the report writes them.
function numberOf(text, decimal) {
  const [one, other] = decimal === "," ? [",", "\\."] : ["\\.", ","];
  const found = new RegExp(`^[+\u2212-]?\\d(?:[\\d${other}\u00a0\u202f ]*\\d)?(?:${one}\\d+)?`).exec(text.trim());
  if (!found) return NaN;
  const whole = found[0].replace(new RegExp(`[${other}\u00a0\u202f ]`, "g"), "");
  return Number(whole.replace(",", ".").replace("\u2212", "-"));
}

// Rows by the text of a column: by number where most of them are numbers, else by letters; empty ones last.
function sorted(rows, text, down, decimal = ".") {
  const value = (row) => numberOf(text(row), decimal);
  const numbers = rows.filter((row) => !Number.isNaN(value(row))).length;
  const known = rows.filter((row) => /[^\s\u2013\u2014-]/.test(text(row)));
  const byNumber = 2 * numbers > known.length;
  const compare = byNumber
    ? (a, b) => value(a) - value(b)
    : (a, b) => text(a).localeCompare(text(b), "en", { numeric: true });
  const isLast = (row) => (byNumber ? Number.isNaN(value(row)) : !known.includes(row));
  const first = rows.filter((row) => !isLast(row)).sort(down ? (a, b) => compare(b, a) : compare);
  return [...first, ...rows.filter(isLast)];
}
