// Edges rounded and cut off, regions raised inside inset outlines, made with what is picked in space.
const { test, expect } = require('@playwright/test');
const {
  accept,
  card,
  drawTyped,
  drawing,
  ledger,
  lookFor,
  makePart,
  rectangle,
  settledVolume,
  reached,
  row,
  middle,
} = require('./person');

/** A block of 40 x 30 x 20 mm. */
async function block(page, name) {
  await makePart(page, name);
  await drawing(page, 'XY', '', rectangle(page, '-20, -15', '20, 15'));
  await page.keyboard.press('z');
  await card(page, 'Extrude').getByLabel('Forwards').fill('20 mm');
  await accept(page, 'Extrude');
}

test('an edge is rounded by clicking it, too large a radius says what fits, and a face is cut off all round', async ({
  page,
}) => {
  test.slow();
  await block(page, 'Softened');
  await page.keyboard.press('Shift+G');
  const fillet = card(page, 'Fillet');
  await page.mouse.click(...(await lookFor(page, /^Click for Edges: .* \| /, middle)));
  await expect(fillet.locator('.slot-row')).toHaveCount(1);
  await fillet.getByLabel('Radius', { exact: true }).fill('60 mm');
  await expect(fillet).toContainText(/does not fit here: .* at most \d+\.\d{3} mm fits/);
  await fillet.getByLabel('Radius', { exact: true }).fill('3 mm');
  await accept(page, 'Fillet');
  // One edge of 20, 30 or 40 mm lost (1 - pi / 4) r^2 L.
  const lost = 24000 - (await settledVolume(page));
  const lengths = [20, 30, 40].map((l) => Math.abs(lost - (1 - Math.PI / 4) * 9 * l));
  expect(Math.min(...lengths)).toBeLessThan(0.1);
  await expect(ledger(page, 'watertight')).toContainText('yes');

  await page.keyboard.press('Shift+K');
  const chamfer = card(page, 'Chamfer');
  await page.mouse.click(...(await lookFor(page, /^Click for Edges: .*face cap 1/, middle)));
  await expect(chamfer.locator('.slot-row')).toHaveCount(1);
  await accept(page, 'Chamfer');
  await expect(ledger(page, 'watertight')).toContainText('yes');
  await expect(ledger(page, 'self_crossing')).toContainText('no');
  expect(24000 - lost - (await settledVolume(page))).toBeGreaterThan(50);
});

test('edges get radii of their own in one step', async ({ page }) => {
  test.slow();
  await block(page, 'Two radii');
  await page.keyboard.press('Shift+G');
  const fillet = card(page, 'Fillet');
  await page.mouse.click(...(await lookFor(page, /^Click for Edges: .*cap 1.* \| /, middle)));
  await expect(fillet.locator('.slot-row')).toHaveCount(1);
  await fillet.getByLabel('Radius', { exact: true }).fill('5 mm');
  await expect(fillet.getByLabel('Radius of those', { exact: true })).toBeHidden();
  await fillet.getByLabel('Other radius', { exact: true }).click();
  await page.mouse.click(...(await lookFor(page, /^Click for Other radius: (?!.*cap).* \| /, middle)));
  await expect(fillet.locator('.slot-row')).toHaveCount(2);
  await fillet.getByLabel('Radius of those', { exact: true }).fill('2 mm');
  await expect(reached(page, 'Other radius')).toContainText('2 mm');
  await accept(page, 'Fillet');
  await expect(ledger(page, 'watertight')).toContainText('yes');
  // A rim of 30 or 40 mm and an upright edge of 20; where they meet, one takes away what the other one would have.
  const lost = 24000 - (await settledVolume(page));
  const part = (radius, length) => (1 - Math.PI / 4) * radius * radius * length;
  const upTo = [30, 40].map((length) => part(5, length) + part(2, 20));
  expect(Math.min(...upTo.map((most) => Math.abs(most - lost)))).toBeLessThan(part(2, 5) + part(5, 2));
});

test('an edge that goes on almost straight ends flat, and says so until the next one is picked too', async ({
  page,
}) => {
  test.slow();
  await makePart(page, 'Almost straight');
  const corners = ['0, 0', '40, 0', '80, 2.4', '80, 40', '0, 40', '0, 0'];
  await drawing(page, 'XY', '', () => drawTyped(page, 'Lines', corners));
  await page.keyboard.press('z');
  await card(page, 'Extrude').getByLabel('Forwards').fill('20 mm');
  await accept(page, 'Extrude');
  const whole = await settledVolume(page);
  await page.keyboard.press('Shift+G');
  const fillet = card(page, 'Fillet');
  await page.mouse.click(...(await lookFor(page, /^Click for Edges: .*cap 1 \| .* 1$/, middle)));
  await expect(fillet.locator('.slot-row')).toHaveCount(1);
  await fillet.getByLabel('Radius', { exact: true }).fill('6 mm');
  await expect(fillet).toContainText('where this one ends flat; pick that one too');
  await expect(ledger(page, 'watertight')).toContainText('yes');
  const part = (length) => (1 - Math.PI / 4) * 36 * length;
  expect(Math.abs(whole - (await settledVolume(page)) - part(40))).toBeLessThan(0.1);
  await page.mouse.click(...(await lookFor(page, /^Click for Edges: .*cap 1 \| .* 2$/, middle)));
  await expect(fillet.locator('.slot-row')).toHaveCount(2);
  await expect(fillet).not.toContainText('ends flat');
  await accept(page, 'Fillet');
  await expect(ledger(page, 'watertight')).toContainText('yes');
  expect(Math.abs(whole - (await settledVolume(page)) - part(80))).toBeLessThan(part(2));
});

test('an edge is rounded by a parabola, then in curvature, which the seams show', async ({ page }) => {
  test.slow();
  await block(page, 'Flowing');
  await page.keyboard.press('Shift+G');
  const fillet = card(page, 'Fillet');
  await page.mouse.click(...(await lookFor(page, /^Click for Edges: .* \| /, middle)));
  await fillet.getByLabel('Radius', { exact: true }).fill('6 mm');
  await expect(fillet.getByLabel('Fullness', { exact: true })).toBeHidden();
  await fillet.getByLabel('Section', { exact: true }).getByText('Conic', { exact: true }).click();
  await expect(fillet.getByLabel('Fullness', { exact: true })).toHaveValue('0.5');
  await accept(page, 'Fillet');
  // One edge of 20, 30 or 40 mm lost a third of the triangle beside its chord (Archimedes).
  const lost = 24000 - (await settledVolume(page));
  expect(Math.min(...[20, 30, 40].map((l) => Math.abs(lost - (36 * l) / 6)))).toBeLessThan(0.1);
  await row(page, 2).click();
  await fillet.getByLabel('Section', { exact: true }).getByText('Curvature', { exact: true }).click();
  await fillet.getByLabel('Fullness', { exact: true }).fill('0.9');
  await expect(fillet).toContainText(/0\.75/);
  await fillet.getByLabel('Fullness', { exact: true }).fill('0.6');
  await accept(page, 'Fillet');
  await expect(ledger(page, 'watertight')).toContainText('yes');
  await page.getByRole('button', { name: 'Prove' }).click();
  await expect(page.locator('.seam').filter({ hasText: 'G2' })).toHaveCount(2);
});

test('an edge is cut off by two distances, and by a distance and an angle', async ({ page }) => {
  test.slow();
  await block(page, 'Slanted');
  await page.keyboard.press('Shift+K');
  const chamfer = card(page, 'Chamfer');
  await page.mouse.click(...(await lookFor(page, /^Click for Edges: .* \| /, middle)));
  await expect(chamfer.locator('.slot-row')).toHaveCount(1);
  await chamfer.getByRole('radio', { name: 'Two distances' }).click();
  await chamfer.getByLabel('Distance', { exact: true }).fill('2 mm');
  await chamfer.getByLabel('On the second face').fill('6 mm');
  await accept(page, 'Chamfer');
  // The prism of a triangle of 2 x 6 mm along an edge of 20, 30 or 40 mm.
  const near = async (area) => {
    const lost = 24000 - (await settledVolume(page));
    expect(Math.min(...[20, 30, 40].map((l) => Math.abs(lost - area * l)))).toBeLessThan(0.1);
  };
  await near(6);
  await expect(ledger(page, 'watertight')).toContainText('yes');
  await row(page, 2).dblclick();
  await chamfer.getByRole('radio', { name: 'Distance and angle' }).click();
  await chamfer.getByLabel('Angle', { exact: true }).fill('30 deg');
  await accept(page, 'Chamfer');
  await near(2 * Math.tan(Math.PI / 6));
});

test('an outline is inset from the edges of a face and raised, and a disc is sunk beside it', async ({ page }) => {
  test.slow();
  await block(page, 'Raised');
  await page.keyboard.press('Shift+I');
  const inset = card(page, 'Inset edge');
  await page.mouse.click(...(await lookFor(page, /^Click for Face: .*face cap 1/, middle)));
  await inset.getByLabel('Distance').fill('4 mm');
  await expect(reached(page, 'Length of inset')).toContainText('108');
  await accept(page, 'Inset edge');

  await page.keyboard.press('Shift+E');
  const raised = card(page, 'Raised region');
  // A block has several faces: one is asked for, and nothing is wrong before it is picked.
  await expect(raised.getByLabel('Face', { exact: true }).locator('option:checked')).toHaveText('Pick a face in space');
  await expect(raised.locator('.notice')).toHaveCount(0);
  await page.mouse.click(...(await lookFor(page, /^Click for Face: .*face cap 1/, middle)));
  await raised.getByLabel('Outline').selectOption({ label: 'Inset edge' });
  await raised.getByLabel('By', { exact: true }).fill('2 mm');
  await accept(page, 'Raised region');
  // 32 x 22 x 2
  expect(Math.abs((await settledVolume(page)) - 24000 - 1408)).toBeLessThan(0.1);

  await drawing(page, 'XY', '40 mm', () => drawTyped(page, 'Circle', ['0, 0', '6, 0']));
  await page.keyboard.press('Shift+E');
  await page.mouse.click(...(await lookFor(page, /^Click for Face: .*face region on cap 1/, middle)));
  await raised.getByLabel('Outline').selectOption({ label: 'Profile 2' });
  await raised.getByText('Sunk', { exact: true }).click();
  await raised.getByLabel('By', { exact: true }).fill('5 mm');
  await accept(page, 'Raised region');
  expect(Math.abs((await settledVolume(page)) - 25408 + 180 * Math.PI)).toBeLessThan(0.1);
  await expect(ledger(page, 'watertight')).toContainText('yes');
});

test('a fillet between two surfaces joins them, and a parting surface is led out from an edge', async ({ page }) => {
  test.slow();
  await makePart(page, 'Between');
  for (const [plane, points, n] of [
    ['XZ', ['-20, 0', '20, 0'], 0],
    ['XZ', ['0, 20', '0, -20'], 2],
  ]) {
    await drawing(page, plane, '', () => drawTyped(page, 'Lines', points));
    await page.keyboard.press('z');
    await row(page, n).click();
    await card(page, 'Extrude').getByLabel('Forwards').fill('40 mm');
    await accept(page, 'Extrude');
  }
  await page.keyboard.press('Shift+J');
  const fillet = card(page, 'Surface fillet');
  await fillet.getByLabel('First', { exact: true }).selectOption({ label: 'Extrude' });
  await fillet.getByLabel('Second', { exact: true }).selectOption({ label: 'Extrude 2' });
  await fillet.getByLabel('Radius', { exact: true }).fill('5 mm');
  // A quarter of a cylinder and what is left of both: (5 pi / 2 + 2 15) 40.
  await expect(reached(page, 'Area')).toContainText(/1\s?514\.2/);
  await accept(page, 'Surface fillet');
  await page.keyboard.press('Shift+Z');
  const lead = card(page, 'Lead-out');
  await page.mouse.click(...(await lookFor(page, /^Click for Edges: .*(start|end|trimmed)/, middle)));
  await expect(lead.locator('.slot-row')).toHaveCount(1);
  await accept(page, 'Lead-out');
  await expect(page.locator('.lineage-row', { hasText: 'Lead-out' })).toHaveCount(1);
});
