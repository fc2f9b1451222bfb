// Reading the recipe, as the server keeps it.
export const kindOf = (step) => Object.keys(step.make)[0];

/** A typed amount: a plain number where it is one, else the formula. */
export const asAmount = (text) =>
  String(text).trim() !== '' && Number.isFinite(Number(text)) ? Number(text) : String(text);
