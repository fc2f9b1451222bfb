// Picking and dragging in space: corners, edges, faces, planes, and points of curves.
const { test, expect } = require('@playwright/test');
const { lookFor, makePart, makeTurned, ledger, reached, number, card } = require('./person');

/** A tube of radius 20, 40 high, standing on the XY plane. */
async function makeTube(page, name) {
  await makeTurned(page, name, ['20, 0', '20, 40']);
  await expect(ledger(page, 'free_edges')).toContainText('2 free edges');
}

test('a curve from corner to corner is two clicks, and what is picked is said before', async ({ page }) => {
  await makeTube(page, 'Two corners');
  await page.keyboard.press('w');
  const points = card(page, 'Space curve').locator('.slot-row');
  await page.mouse.click(...(await lookFor(page, /^Click for Points: .*start of/, [0.5, 0.5, 0.75, 1])));
  await expect(points).toHaveCount(1);
  await page.mouse.click(...(await lookFor(page, /^Click for Points: .*end of/, [0.5, 0.1, 0.75, 0.6])));
  await expect(points).toHaveCount(2);
  await expect(points.first()).toContainText('start of curve 1');
  await expect.poll(() => number(reached(page, 'Length of curve'))).toBeCloseTo(40, 6);
  await card(page, 'Space curve')
    .getByRole('button', { name: /Accept/ })
    .click();
  await expect(page.locator('.lineage-row')).toHaveCount(3);
});

test('an edge goes into the slot that takes one, and stays picked after a reload', async ({ page }) => {
  await makeTube(page, 'Edge picked');
  await page.keyboard.press('w');
  const space = card(page, 'Space curve');
  for (const at of ['20, 0, 40', '60, 10, 60', '80, 60, 50']) {
    await space.getByLabel('Type a point of Points').fill(at);
    await space.getByLabel('Type a point of Points').press('Enter');
  }
  const free = await number(reached(page, 'Length of curve'));
  await page.mouse.click(...(await lookFor(page, /^Click for Go on from: .*v end/, [0.2, 0.1, 0.6, 0.5])));
  await expect(space.getByLabel('Go on from')).toHaveValue(/edge \{profile\} \/ curve 1, v end/);
  await expect.poll(() => number(reached(page, 'Length of curve'))).not.toBeCloseTo(free, 3);
  await space.getByRole('radio', { name: 'Curvature' }).click();
  await space.getByRole('button', { name: /Accept/ }).click();
  await expect(page.locator('.saved')).toContainText('version');
  await page.reload();
  await page.locator('.lineage-row').nth(2).getByRole('button').click();
  await expect(space.getByLabel('Go on from')).toHaveValue(/v end/);
  await expect(space.getByRole('radio', { name: 'Curvature' })).toHaveAttribute('aria-checked', 'true');
});

test('a curve is drawn on a surface by clicks, and its points are dragged there', async ({ page }) => {
  await makeTube(page, 'On the skin');
  await page.keyboard.press('u');
  const on = card(page, 'Curve on surface');
  const [x, y] = await lookFor(page, /^Click for Places: .*outer side/, [0.45, 0.5, 0.6, 0.9]);
  await page.mouse.click(x, y);
  await page.mouse.click(x + 40, y - 40);
  await page.mouse.click(x + 80, y - 20);
  await expect(on.locator('.slot-row')).toHaveCount(3);
  await expect(reached(page, 'Deviation reached')).toContainText('mm');
  await on.getByRole('button', { name: /Accept/ }).click();
  await expect(page.locator('.lineage-row')).toHaveCount(3);
  await page.locator('.lineage-row').nth(2).getByRole('button').click();
  const second = on.getByLabel('Places 2');
  const before = await second.inputValue();
  await expect(async () => {
    await page.mouse.move(x + 40, y - 39);
    await page.mouse.move(x + 40, y - 40);
    await expect(page.locator('.hover-word')).toContainText('Point 2', { timeout: 500 });
  }).toPass();
  await page.mouse.down();
  await page.mouse.move(x + 44, y - 70, { steps: 4 });
  await page.mouse.up();
  await expect(second).not.toHaveValue(before);
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /places of Curve on surface/);
  // The dragged place is kept, and lies on the surface: both shares within it.
  const shares = (await second.inputValue()).split(',').map(Number);
  expect(shares.every((s) => s > 0 && s < 1)).toBe(true);
});

test('a point of a space curve is dragged in space; a typed formula of it stays', async ({ page }) => {
  await makePart(page, 'Dragged');
  await page.keyboard.press('w');
  const space = card(page, 'Space curve');
  for (const at of ['0, 0, 2*5 mm', '40, 0, 30', '80, 20, 10']) {
    await space.getByLabel('Type a point of Points').fill(at);
    await space.getByLabel('Type a point of Points').press('Enter');
  }
  await expect(reached(page, 'Length of curve')).toContainText('mm');
  await page.getByRole('button', { name: 'Above' }).click();
  const first = await lookFor(page, /^Point 1 of curve/, [0, 0.2, 0.6, 0.9]);
  await page.mouse.move(...first);
  await page.mouse.down();
  await page.mouse.move(first[0] - 30, first[1] + 20, { steps: 4 });
  await page.mouse.up();
  // Seen from above it moves in x and y; its height is still the formula.
  await expect(space.getByLabel('Points 1')).toHaveValue(/^-\d.*, -\d.*, 2\*5 mm$/);
});

test('two surfaces are picked and meet in a curve; a plane is picked by its frame', async ({ page }) => {
  await makeTube(page, 'Meeting');
  await page.keyboard.press('l');
  const plane = card(page, 'Plane');
  await plane.getByLabel('Beside').selectOption({ label: 'XY' });
  await plane.getByLabel('Distance').fill('25 mm');
  await plane.getByRole('button', { name: /Accept/ }).click();
  await expect(page.locator('.lineage-row')).toHaveCount(3);
  await page.keyboard.press('n');
  await page.mouse.click(...(await lookFor(page, /^Click for (Plane|Surface): Plane · plane/, [0.1, 0.2, 0.7, 0.9])));
  const section = card(page, 'Section curve');
  await expect(section.getByLabel('Plane')).toHaveValue('plane');
  await expect.poll(() => number(reached(page, 'Length of curve 1'))).toBeCloseTo(40 * Math.PI, 2);
  await section.getByRole('button', { name: /Accept/ }).click();
  await expect(page.locator('.lineage-row')).toHaveCount(4);
  // What is only looked at through a section stays the result.
  await expect(ledger(page, 'free_edges')).toContainText('2 free edges');
});

test('steps are grouped, folded, renamed together and shown again', async ({ page }) => {
  await makeTube(page, 'Groups');
  const rows = page.locator('.lineage-row');
  await rows.nth(0).getByRole('button').click();
  await page.getByRole('button', { name: 'Done' }).click();
  await rows
    .nth(1)
    .getByRole('button')
    .click({ modifiers: ['Shift'] });
  await page.getByRole('button', { name: 'Group', exact: true }).click();
  const name = page.getByLabel('New name', { exact: true });
  await name.fill('Tube');
  await name.press('Enter');
  const heading = page.getByRole('button', { name: /Tube/ }).first();
  await expect(heading).toContainText('2 steps');
  await heading.click();
  await expect(rows).toHaveCount(1);
  await expect(heading).toHaveAttribute('aria-expanded', 'false');
  await page.getByRole('button', { name: 'Hide all' }).click();
  await expect(page.locator('.saved')).toContainText(/version/);
  await heading.click();
  await expect(rows).toHaveCount(3);
  await expect(rows.nth(1)).toContainText('hidden');
  await page.getByRole('button', { name: 'Ungroup' }).click();
  await expect(rows).toHaveCount(2);
});
