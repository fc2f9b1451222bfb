// How figures are written.

// Made once for each number of digits: making a format costs far more than using it.
const formats = Array.from(
  { length: 10 },
  (_, digits) => new Intl.NumberFormat('en', { maximumFractionDigits: digits }),
);
export const figure = (v, digits = 3) => formats[digits].format(v).replaceAll(',', '\u2009');
