// Surfaces that a profile makes: extrude, loft, sweep, flat face, copy and join, by picking and typing.
const { test, expect } = require('@playwright/test');
const { accept, card, drawTyped, drawing, ledger, makePart, rectangle, settledVolume, volume } = require('./person');

test('an outline extrudes into a solid; both ways, and up to a plane', async ({ page }) => {
  await makePart(page, 'Block');
  await drawing(page, 'XY', '', rectangle(page, '0, 0', '30, 20'));
  await page.keyboard.press('z');
  const extrude = card(page, 'Extrude');
  await extrude.getByLabel('Forwards').fill('12 mm');
  await expect.poll(() => volume(page)).toBeCloseTo(7200, 3);
  await extrude.getByLabel('Backwards').fill('3 mm');
  await accept(page, 'Extrude');
  await expect.poll(() => volume(page)).toBeCloseTo(9000, 3);
  await expect(page.locator('.ledger-head')).toContainText('A watertight solid');
  await page.locator('.lineage-row').nth(1).getByRole('button').click();
  await extrude.getByRole('radio', { name: 'Open' }).click();
  await expect(ledger(page, 'free_edges')).toContainText('8 free edges');
  await page.keyboard.press('Escape');
  await expect.poll(() => settledVolume(page)).toBeCloseTo(9000, 3);
});

test('sections are picked in order into a loft, which names what does not fit', async ({ page }) => {
  await makePart(page, 'Tower');
  await drawing(page, 'XY', '', rectangle(page, '-15, -15', '15, 15'));
  await drawing(page, 'XY', '20 mm', rectangle(page, '-10, -10', '10, 10'));
  await drawing(page, 'XY', '40 mm', rectangle(page, '-15, -15', '15, 15'));
  await page.keyboard.press('f');
  const loft = card(page, 'Loft');
  for (const row of [0, 1, 2]) await page.locator('.lineage-row').nth(row).getByRole('button').click();
  await expect(loft.locator('.slot-row')).toHaveCount(3);
  await loft.getByLabel('Between sections').selectOption({ label: 'Straight' });
  // Two frustums of a pyramid, h (A + sqrt(A B) + B) / 3 each (Heron, Metrica II).
  await expect.poll(() => volume(page)).toBeCloseTo((2 * 20 * (900 + 600 + 400)) / 3, 0);
  await loft.getByLabel('Between sections').selectOption({ label: 'Smooth' });
  await expect.poll(() => volume(page)).toBeLessThan(25000);
  await accept(page, 'Loft');
  await expect(page.locator('.ledger-head')).toContainText('A watertight solid');
  const before = await settledVolume(page);
  // One section moves, and the loft with it; in the plane of the first and as large, it is refused by their numbers.
  await page.locator('.lineage-row').nth(1).getByRole('button').click();
  const offset = page.getByLabel('Offset from the plane');
  await offset.fill('28 mm');
  await offset.press('Enter');
  await expect.poll(() => volume(page)).not.toBeCloseTo(before, -1);
  await page.getByRole('button', { name: 'Done' }).click();
  await page.locator('.lineage-row').nth(3).getByRole('button').click();
  await loft.getByRole('combobox', { name: 'Sections', exact: true }).selectOption({ label: 'Profile 3' });
  await expect(loft.getByRole('alert')).toContainText('sections 3 and 4 meet here');
  await expect(loft.getByRole('button', { name: 'Show me' })).toBeVisible();
});

test('a round sweep follows a drawn path; its corners are mitred or rounded', async ({ page }) => {
  await makePart(page, 'Wire');
  await drawing(page, 'XZ', '', () => drawTyped(page, 'Through', ['0, 0', '20, 30', '60, 35']));
  await page.keyboard.press('s');
  const sweep = card(page, 'Sweep');
  await sweep.getByRole('radio', { name: 'A round section' }).click();
  await sweep.getByLabel('Radius', { exact: true }).fill('3 mm');
  await expect(page.locator('.ledger-head')).toContainText('A watertight solid');
  const thin = await settledVolume(page);
  await sweep.getByLabel('Radius', { exact: true }).fill('6 mm');
  // Four times the area along the same middle (Pappus).
  await expect.poll(() => volume(page)).toBeCloseTo(4 * thin, -2);
  await sweep.getByLabel('Radius', { exact: true }).fill('60 mm');
  await expect(sweep.getByRole('alert')).toContainText('bends with radius');
  await sweep.getByLabel('Radius', { exact: true }).fill('3 mm');
  await accept(page, 'Sweep');
  await expect(page.locator('.lineage-row')).toHaveCount(2);
  await page.locator('.lineage-actions').getByRole('button', { name: 'Skip' }).click();
  await drawing(page, 'XZ', '', () => drawTyped(page, 'Lines', ['0, -40', '30, -40', '30, -10']));
  await page.keyboard.press('s');
  await sweep.getByLabel('Path').selectOption({ label: 'Profile 2' });
  await sweep.getByRole('radio', { name: 'A round section' }).click();
  // Mitred, the middle is as long as the path; with a radius of 10 the corner is a quarter circle.
  await sweep.getByLabel('Radius', { exact: true }).fill('2 mm');
  await expect.poll(() => volume(page)).toBeCloseTo(Math.PI * 4 * 60, 0);
  await sweep.getByRole('radio', { name: 'Rounded' }).click();
  await expect.poll(() => volume(page)).toBeCloseTo(Math.PI * 4 * (40 + 5 * Math.PI), 0);
  await sweep.getByLabel('Radius of corners').fill('40 mm');
  await expect(sweep.getByRole('alert')).toContainText('at most 29.99');
  // A section that grows cannot be mitred, and says so.
  await sweep.getByRole('radio', { name: 'Mitred' }).click();
  await sweep.getByLabel('Size', { exact: true }).fill('0.5');
  await expect(sweep.getByRole('alert')).toContainText('round the corner');
});

test('a half is mirrored, closed by a flat face and joined into a solid', async ({ page }) => {
  await makePart(page, 'Halves');
  // An open box: three sides of a square tube, mirrored, make four.
  await drawing(page, 'XY', '', () => drawTyped(page, 'Lines', ['0, 0', '20, 0', '20, 15', '0, 15']));
  await page.keyboard.press('z');
  await card(page, 'Extrude').getByLabel('Forwards').fill('30 mm');
  await accept(page, 'Extrude');
  await page.keyboard.press('c');
  const copy = card(page, 'Copy');
  await copy.getByLabel('Of').selectOption({ label: 'Extrude' });
  await copy.getByLabel('Mirror plane').selectOption({ label: 'YZ' });
  await accept(page, 'Copy');
  await page.keyboard.press('a');
  const join = card(page, 'Join');
  for (const row of [1, 2]) await page.locator('.lineage-row').nth(row).getByRole('button').click();
  await expect(join).toContainText('Edges joined');
  await accept(page, 'Join');
  await expect(ledger(page, 'free_edges')).toContainText('12 free edges');
  await drawing(page, 'XY', '', rectangle(page, '-20, 0', '20, 15'));
  await page.keyboard.press('k');
  await card(page, 'Flat face').getByRole('combobox', { name: 'Outlines' }).selectOption({ label: 'Profile 2' });
  await expect(card(page, 'Flat face').getByRole('combobox', { name: 'Outlines' })).not.toContainText('Copy');
  await accept(page, 'Flat face');
  await expect(page.locator('.lineage-row')).toHaveCount(6);
});
