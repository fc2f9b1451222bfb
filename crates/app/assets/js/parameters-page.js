// Parameters and the unit. Mixed into the part page.
import { figure } from './figures.js';
import { asAmount } from './recipe.js';

export const parametersPage = () => ({
  parameters() {
    return this.recipe?.parameters ?? [];
  },
  unitName() {
    return this.recipe?.unit ?? 'mm';
  },
  setUnit(unit) {
    this.commit([{ edit: 'set_unit', unit }]);
  },
  async setParameter({ name }, change) {
    await this.settled;
    const p = this.recipe.parameters.find((other) => other.name === name);
    return this.commit([{ edit: 'set_parameter', parameter: { ...p, ...change } }]);
  },
  setFormula(p, text) {
    return this.setParameter(p, { formula: asAmount(text) });
  },
  async renameParameter(p, input) {
    const to = input.value.trim();
    if (!to || to === p.name) input.value = p.name;
    else if (!(await this.commit([{ edit: 'rename_parameter', name: p.name, to }]))) input.value = p.name;
  },
  parameterReport(name) {
    return this.report?.parameters.find((p) => p.name === name);
  },
  parameterValue(p) {
    const value = this.parameterReport(p.name)?.value;
    if (value === undefined || value === null) return '';
    if (p.quantity === 'length') return this.lengthText(value);
    return p.quantity === 'angle' ? `${figure((value * 180) / Math.PI)} deg` : figure(value);
  },
  drives(p) {
    const drives = this.parameterReport(p.name)?.drives ?? [];
    return drives.length ? `drives ${drives.join(', ')}` : 'drives nothing yet';
  },
  async addParameter(form) {
    const [name, formula] = [form.elements.name.value.trim(), form.elements.formula.value.trim()];
    const quantity = form.elements.quantity.value;
    if (!name || !formula) return;
    const known = this.recipe.parameters.some((p) => p.name === name);
    if (known) return this.say(`There is a parameter ${name} already; change its formula instead.`, 'error');
    const parameter = { name, quantity, formula: asAmount(formula) };
    if (await this.commit([{ edit: 'set_parameter', parameter }])) form.reset();
  },
});
