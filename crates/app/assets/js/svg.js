// Drawings as descriptions of elements, made by the document's own functions: no text ever becomes markup.
const SPACE = 'http://www.w3.org/2000/svg';

/** An element to be: its name, its attributes, and what stands inside, elements or one text. */
export const element = (name, attributes, inside = []) => ({ name, attributes, inside });

function made({ name, attributes, inside }) {
  const node = document.createElementNS(SPACE, name);
  for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
  if (typeof inside === 'string') node.textContent = inside;
  else node.append(...inside.map(made));
  return node;
}

function same(a, b) {
  if (a === b) return true;
  if (typeof a === 'string' || typeof b === 'string' || a.name !== b.name) return false;
  const names = Object.keys(a.attributes);
  return (
    names.length === Object.keys(b.attributes).length &&
    names.every((n) => a.attributes[n] === b.attributes[n]) &&
    a.inside.length === b.inside.length &&
    (typeof a.inside === 'string' ? a.inside === b.inside : a.inside.every((part, i) => same(part, b.inside[i])))
  );
}

/** Shows elements in a node; of as many as before only those that changed are made anew. Gives what is shown now. */
export function redraw(node, now, before) {
  const { children } = node;
  if (before?.length !== now.length || children.length !== now.length) node.replaceChildren(...now.map(made));
  else
    now.forEach((part, i) => {
      if (!same(part, before[i])) children[i].replaceWith(made(part));
    });
  return now;
}
