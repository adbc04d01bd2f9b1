// The number that a cell begins with, or nothing; signs and thin spaces as the report writes them.
function numberOf(text) {
  const found = /^[+\u2212-]?\d[\d,\u00a0\u202f ]*(\.\d+)?/.exec(text.trim());
  return found ? Number(found[0].replace(/[,\u00a0\u202f ]/g, "").replace("\u2212", "-")) : NaN;
}

// Rows by the text of a column: by number where most of them are numbers, else by letters; empty ones last.
function sorted(rows, text, down) {
  const numbers = rows.filter((row) => !Number.isNaN(numberOf(text(row)))).length;
  const known = rows.filter((row) => /[^\s\u2013\u2014-]/.test(text(row)));
  const byNumber = 2 * numbers > known.length;
  const compare = byNumber
    ? (a, b) => numberOf(text(a)) - numberOf(text(b))
    : (a, b) => text(a).localeCompare(text(b), "en", { numeric: true });
  const isLast = (row) => (byNumber ? Number.isNaN(numberOf(text(row))) : !known.includes(row));
  const first = rows.filter((row) => !isLast(row)).sort(down ? (a, b) => compare(b, a) : compare);
  return [...first, ...rows.filter(isLast)];
}
