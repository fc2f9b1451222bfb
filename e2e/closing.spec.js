// Pieces chosen by clicking, spaces enclosed, leaks shown, solids combined, and what one click of the ledger closes.
const { test, expect } = require('@playwright/test');
const {
  accept,
  card,
  drawTyped,
  drawing,
  ledger,
  lookFor,
  makeTurned,
  settledVolume,
  reached,
  row,
} = require('./person');

const tube = (page, name) => makeTurned(page, name, ['20, 0', '20, 20']);

test('a tube is cut by a plane, and its pieces are taken away and let be by clicking', async ({ page }) => {
  await tube(page, 'Half');
  await expect(ledger(page, 'free_edges')).toContainText('2 free edges');
  await page.keyboard.press('Shift+T');
  const trim = card(page, 'Trim');
  await expect(trim).toBeVisible();
  await row(page, 1).click();
  await expect(trim.locator('.slot-row')).toHaveCount(1);
  await trim.getByLabel('By', { exact: true }).selectOption({ label: 'XZ' });
  // Nothing is chosen yet: both pieces stay, 2 pi r h in all.
  await expect(reached(page, 'Pieces')).toHaveText('2');
  await expect(reached(page, 'Area')).toContainText(/2\s?513\.3/);
  await page.mouse.click(...(await lookFor(page, /^Click for Pieces: .* · stays/, [0.2, 0.1, 0.75, 0.8])));
  await expect(reached(page, 'Area')).toContainText(/1\s?256\.6/);
  await expect(trim).toContainText(/the XZ plane/);
  // What goes is still there to be seen and to be let be.
  await page.mouse.click(...(await lookFor(page, /^Click for Pieces: .* · goes/, [0.2, 0.1, 0.75, 0.8])));
  await expect(reached(page, 'Area')).toContainText(/2\s?513\.3/);
  await page.mouse.click(...(await lookFor(page, /^Click for Pieces: .* · stays/, [0.2, 0.1, 0.75, 0.8])));
  await expect(reached(page, 'Area')).toContainText(/1\s?256\.6/);
  await accept(page, 'Trim');
  await expect(ledger(page, 'free_edges')).toContainText('free edges');
  await expect(page.locator('.lineage-row')).toHaveCount(3);
});

test('one click caps a tube; a leak is told and flown to; planes enclose it', async ({ page }) => {
  await tube(page, 'Closed');
  await expect(ledger(page, 'free_edges')).toContainText('2 free edges');
  await page.keyboard.press('e');
  const enclose = card(page, 'Enclose');
  await row(page, 1).click();
  await expect(enclose).toContainText('leaks over this edge');
  await expect(enclose.getByRole('button', { name: 'Show me' })).toBeVisible();
  await enclose.getByRole('button', { name: 'Show me' }).click();
  await page.keyboard.press('Escape');
  await expect(enclose).toHaveCount(0);
  await page.getByRole('button', { name: /^Cap the 2 openings/ }).click();
  await expect(ledger(page, 'watertight')).toContainText('yes');
  // pi r^2 h
  expect(Math.abs((await settledVolume(page)) - 25132.7)).toBeLessThan(0.1);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(ledger(page, 'watertight')).toContainText('no');
});

test('the recipe is held at a step and built on again', async ({ page }) => {
  await tube(page, 'Held');
  await page.getByRole('button', { name: /^Cap the 2 openings/ }).click();
  await expect(ledger(page, 'watertight')).toContainText('yes');
  await row(page, 1).click();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Hold', exact: true }).click();
  await expect(page.locator('.lineage-row').nth(2)).toContainText('held');
  await expect(ledger(page, 'free_edges')).toContainText('2 free edges');
  await page.getByRole('button', { name: 'Go on', exact: true }).click();
  await expect(ledger(page, 'watertight')).toContainText('yes');
});

test('planes shut a tube in; of the spaces that are found one is chosen by clicking', async ({ page }) => {
  test.slow();
  await tube(page, 'Storeys');
  await page.keyboard.press('l');
  const plane = card(page, 'Plane');
  await plane.getByLabel('How many').fill('3');
  await plane.getByLabel('Spacing').fill('10');
  await plane.getByLabel('Distance').fill('0');
  await plane.getByLabel('Beside', { exact: true }).selectOption({ label: 'XY' });
  await accept(page, 'Plane');
  await page.keyboard.press('e');
  const enclose = card(page, 'Enclose');
  await row(page, 1).click();
  for (const n of [1, 2, 3])
    await enclose.getByLabel('Bounds', { exact: true }).selectOption({ label: `Plane / ${n}` });
  await expect(enclose.locator('.slot-row')).toHaveCount(4);
  await expect(reached(page, 'Spaces found')).toHaveText('2');
  // pi r^2 h of both storeys, then of the one that was clicked.
  await expect(reached(page, 'Volume')).toContainText('25.133 mL');
  await page.mouse.click(...(await lookFor(page, /^Click for Spaces: .* · stays/, [0.2, 0.1, 0.75, 0.8])));
  await expect(enclose.locator('.slot-row')).toHaveCount(5);
  await expect(reached(page, 'Volume')).toContainText('12.566 mL');
  await accept(page, 'Enclose');
  await expect(ledger(page, 'watertight')).toContainText('yes');
  expect(Math.abs((await settledVolume(page)) - 12566.4)).toBeLessThan(0.1);
});

test('an outline is cut through a solid in one step', async ({ page }) => {
  await tube(page, 'Slotted');
  await page.getByRole('button', { name: /^Cap the 2 openings/ }).click();
  await expect(ledger(page, 'watertight')).toContainText('yes');
  await drawing(page, 'XZ', '', () => drawTyped(page, 'Lines', ['-5, 5', '5, 5', '5, 15', '-5, 15', '-5, 5']));
  await page.keyboard.press('z');
  const extrude = card(page, 'Extrude');
  await row(page, 3).click();
  await row(page, 2).click();
  await expect(extrude.getByLabel('With solid')).not.toHaveValue('');
  await extrude.getByLabel('How far').selectOption({ label: 'Through all of the solid' });
  await extrude.getByText('Both ways', { exact: true }).click();
  await extrude.getByText('Cut from it', { exact: true }).click();
  // 10 mm times what a strip 10 mm wide through the middle of a circle of radius 20 holds.
  const strip = 2 * (5 * Math.sqrt(375) + 400 * Math.asin(0.25));
  const volume = Math.PI * 400 * 20 - 10 * strip;
  await accept(page, 'Extrude');
  await expect(ledger(page, 'self_crossing')).toContainText('no');
  expect(Math.abs((await settledVolume(page)) - volume)).toBeLessThan(0.1);
  await expect(page.locator('.ledger-item[data-item="watertight"]')).toContainText('1 solid');
});
