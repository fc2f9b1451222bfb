// Pieces chosen by clicking, spaces enclosed, leaks shown, solids combined, and what one click of the ledger closes.
const { test, expect } = require('@playwright/test');
const { accept, card, ledger, lookFor, makeTurned, settledVolume } = require('./person');

const reached = (page, label) => page.locator('.reached div', { hasText: label }).locator('dd');
const row = (page, n) => page.locator('.lineage-row').nth(n).getByRole('button');
const tube = (page, name) => makeTurned(page, name, ['20, 0', '20, 20']);

test('a tube is cut by a plane, and its pieces are taken away and let be by clicking', async ({ page }) => {
  await tube(page, 'Half');
  await expect(ledger(page, 'free_edges')).toContainText('2 free edges');
  await page.keyboard.press('Shift+T');
  const trim = card(page, 'Trim');
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
