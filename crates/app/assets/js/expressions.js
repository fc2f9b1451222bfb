// How Alpine reads the expressions in the page: by the parser of its build without `eval`, which that build runs anew each time
// an expression is looked at. Here each expression is read once.
import Alpine from '../vendor/alpine.js';
import { generateRuntimeFunction } from '../vendor/alpine-parser.js';

const read = new Map();

function program(text) {
  if (!read.has(text)) read.set(text, generateRuntimeFunction(text));
  return read.get(text);
}

/** What an expression comes to is handed to `receive`; a function is called, an answer that is still to come is waited for. */
export function evaluator(el, expression) {
  const magics = {};
  Alpine.injectMagics(magics, el);
  const around = [magics, ...Alpine.closestDataStack(el)];
  return (receive = () => {}, { scope = {}, params = [] } = {}) => {
    const all = Alpine.mergeProxies([scope, ...around]);
    try {
      let value =
        typeof expression === 'function'
          ? expression.bind(all)
          : program(expression)({ scope: all, forceBindingRootScopeToFunctions: true });
      if (typeof value === 'function') value = value(...params);
      if (value instanceof Promise) value.then(receive);
      else receive(value);
    } catch (error) {
      console.warn(`Alpine Expression Error: ${error.message}`, expression, el);
      // Seen as any other fault of the page, and no hindrance to the rest of it.
      setTimeout(() => {
        throw error;
      });
    }
  };
}
