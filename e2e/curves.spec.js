// Drawing and editing curves as a person does: tools on the sheet, values, changes, planes, curves in space.
const { test, expect } = require('@playwright/test');
const { makePart, drawTyped, openDrawing, paper } = require('./person');

const tool = (page, name) =>
  page.getByRole('toolbar', { name: 'Drawing tools' }).getByRole('button', { name, exact: true });
const change = (page, name) =>
  page.getByRole('toolbar', { name: 'Changes' }).getByRole('button', { name, exact: true });
const figure = (page, name) =>
  page.getByRole('region', { name: 'Curve' }).locator('.value-row', { hasText: name }).locator('dd');
const value = (page, name) => page.getByRole('region', { name: 'Curve' }).getByLabel(name);
const saved = (page) => expect(page.locator('.saved')).toHaveText(/saved/);
const curves = (page) => page.locator('#sheet .hit');

/** Clicks places of the drawing with the tool that is picked. */
async function clickAll(page, places) {
  const at = await paper(page);
  for (const [x, y] of places) {
    await page.mouse.move(...at(x, y));
    await page.mouse.click(...at(x, y));
  }
}

/** Picks a curve by clicking where it passes. */
async function pickAt(page, [x, y], more = false) {
  const at = await paper(page);
  if (more) await page.keyboard.down('Shift');
  await page.mouse.click(...at(x, y));
  if (more) await page.keyboard.up('Shift');
}

/** Where something on the sheet is; it is drawn anew for every picture, so that it may be away for a moment. */
async function boxOf(locator) {
  let box = null;
  await expect.poll(async () => (box = await locator.boundingBox())).not.toBeNull();
  return box;
}

/** A step made by its card. */
async function byCard(page, key, name, fill) {
  await page.keyboard.press(key);
  const card = page.getByRole('dialog', { name });
  await expect(card).toBeVisible();
  await fill(card);
  await card.getByRole('button', { name: /Accept/ }).click();
  await expect(card).toBeHidden();
  await saved(page);
}

test('circles and rectangles are drawn by clicks, then made exact by typing', async ({ page }) => {
  await makePart(page, 'Plate');
  await openDrawing(page);
  await tool(page, 'Rectangle').click();
  await clickAll(page, [
    [10, 10],
    [50, 40],
  ]);
  await expect(figure(page, 'Kind')).toHaveText('closed');
  await expect(figure(page, 'Length')).toHaveText('140 mm');
  await value(page, 'Width').fill('2 in');
  await value(page, 'Width').press('Tab');
  // 2 (50.8 + 30) mm.
  await expect(figure(page, 'Length')).toHaveText('161.6 mm');
  await change(page, 'Fillet').click();
  await page.getByLabel('Fillet Radius').fill('5');
  await page.getByLabel('Fillet Radius').press('Tab');
  // Four corners lose 2 r each and gain a quarter turn: 161.6 - 40 + 10 pi.
  await expect(figure(page, 'Length')).toHaveText('153.016 mm');
  await page.getByLabel('Fillet Radius').fill('90');
  await page.getByLabel('Fillet Radius').press('Tab');
  // What does not fit is told with what would, and not kept.
  await expect(page.locator('.sheet-error')).toContainText('at most 14.9');
  await expect(figure(page, 'Length')).toHaveText('153.016 mm');
  await tool(page, 'Circle').click();
  await clickAll(page, [
    [30, 25],
    [40, 25],
  ]);
  await expect(figure(page, 'Length')).toHaveText('62.832 mm');
  await expect(figure(page, 'Smallest radius')).toHaveText('10 mm');
  const radius = page.getByRole('textbox', { name: /^Radius/ });
  await radius.fill('4 * 2');
  await radius.press('Tab');
  await expect(figure(page, 'Length')).toHaveText('50.265 mm');
});

test('an ellipse follows its parameters, which carry their new name through', async ({ page }) => {
  await makePart(page, 'Driven');
  await page.getByRole('button', { name: /parameters/ }).click();
  const panel = page.getByRole('dialog', { name: 'Parameters' });
  await panel.getByLabel('Name of a new parameter').fill('wide');
  await panel.getByLabel('Its formula').fill('5 mm');
  await panel.getByLabel('Add the parameter').click();
  await expect(panel.getByLabel('Formula of wide')).toHaveValue('5 mm');
  await panel.getByRole('button', { name: 'Close' }).click();
  await openDrawing(page);
  await tool(page, 'Ellipse').click();
  await clickAll(page, [
    [30, 30],
    [40, 30],
    [30, 35],
  ]);
  await value(page, 'Radius x').fill('wide');
  await value(page, 'Radius x').press('Tab');
  await saved(page);
  await value(page, 'Radius y').fill('0.6 * wide');
  await value(page, 'Radius y').press('Tab');
  // AL-01, NIST DLMF 19.30(i): semi-axes 5 and 3.
  await expect(figure(page, 'Length')).toHaveText('25.527 mm');
  await page.getByRole('button', { name: /parameters/ }).click();
  await expect(panel).toContainText('drives Profile');
  await panel.getByLabel('Name of wide').fill('reach');
  await panel.getByLabel('Name of wide').press('Tab');
  await expect(panel.getByLabel('Formula of reach')).toBeVisible();
  await panel.getByLabel('Formula of reach').fill('10 mm');
  await panel.getByLabel('Formula of reach').press('Tab');
  await panel.getByRole('button', { name: 'Close' }).click();
  await expect(value(page, 'Radius y')).toHaveValue('0.6 * reach');
  await expect(figure(page, 'Length')).toHaveText('51.054 mm');
});

test('curves are trimmed and split where they are clicked; what cannot be is told and not kept', async ({ page }) => {
  await makePart(page, 'Cutting');
  await openDrawing(page);
  await drawTyped(page, 'Through', ['0, 20', '60, 20']);
  await drawTyped(page, 'Through', ['20, 0', '20, 40']);
  await tool(page, 'Edit').click();
  await pickAt(page, [40, 20]);
  await change(page, 'Trim').click();
  await pickAt(page, [50, 20]);
  await saved(page);
  await tool(page, 'Edit').click();
  await pickAt(page, [10, 20]);
  await expect(figure(page, 'Length')).toHaveText('20 mm');
  await change(page, 'Split').click();
  await pickAt(page, [20, 30]);
  await expect(curves(page)).toHaveCount(3);
  // The first line is crossed nowhere any more but at its end.
  await change(page, 'Trim').click();
  await pickAt(page, [10, 20]);
  await expect(page.locator('.sheet-error')).toContainText('nothing crosses');
  await expect(curves(page)).toHaveCount(3);
  await page.keyboard.press('Escape');
  await page.getByLabel('Remove Split').click();
  await expect(curves(page)).toHaveCount(2);
});

test('two picked curves are filleted, offset, mirrored and moved, each with a live value', async ({ page }) => {
  await makePart(page, 'Changing');
  await openDrawing(page);
  await drawTyped(page, 'Lines', ['10, 10', '10, 40']);
  await drawTyped(page, 'Lines', ['10, 40', '50, 40']);
  await tool(page, 'Edit').click();
  await pickAt(page, [10, 20]);
  await pickAt(page, [30, 40], true);
  await change(page, 'Fillet').click();
  await page.getByLabel('Fillet Radius').fill('10');
  await page.getByLabel('Fillet Radius').press('Tab');
  await saved(page);
  await pickAt(page, [10, 20]);
  // 20 mm of line and a quarter turn of radius 10.
  await expect(figure(page, 'Length')).toHaveText('35.708 mm');
  await change(page, 'Mirror').click();
  await expect(curves(page)).toHaveCount(3);
  await pickAt(page, [40, 40]);
  await change(page, 'Offset').click();
  await page.getByLabel('Offset Distance').fill('-5');
  await page.getByLabel('Offset Distance').press('Tab');
  await expect(curves(page)).toHaveCount(4);
  await pickAt(page, [40, 40]);
  await change(page, 'Move').click();
  await page.getByLabel('Move By, up').fill('-8');
  await page.getByLabel('Move By, up').press('Tab');
  await page.getByLabel('Move Copies').fill('2');
  await page.getByLabel('Move Copies').press('Tab');
  await expect(curves(page)).toHaveCount(6);
  await page.reload();
  await page.locator('.lineage-row').first().getByRole('button').click();
  await expect(curves(page)).toHaveCount(6);
});

test('splines are reshaped, recast with the deviation told, and their points frozen, gathered and scaled', async ({
  page,
}) => {
  await makePart(page, 'Spline');
  await openDrawing(page);
  await drawTyped(page, 'Through', ['0, 0', '20, 15', '40, 5', '60, 20']);
  await tool(page, 'Edit').click();
  const points = page.locator('#sheet .point');
  await points.nth(1).click();
  const length = await figure(page, 'Length').textContent();
  // A handle at the start bends the curve; freeing it brings the old shape back.
  await page.getByRole('button', { name: 'Handle at the start' }).click();
  const handle = page.locator('#sheet .handle');
  const box = await boxOf(handle);
  await page.mouse.move(box.x + 5, box.y + 5);
  await page.mouse.down();
  await page.mouse.move(box.x + 5, box.y - 60, { steps: 5 });
  await page.mouse.up();
  await expect(figure(page, 'Length')).not.toHaveText(length);
  await page.getByRole('button', { name: 'Free the start' }).click();
  await expect(figure(page, 'Length')).toHaveText(length);
  await page.getByRole('button', { name: 'To control points' }).click();
  await expect(figure(page, 'Length')).toHaveText(length);
  // A cubic with knots at its four points has six control points; three spans take one knot more each.
  await expect(points).toHaveCount(6);
  await page.getByRole('button', { name: 'Insert knots' }).click();
  await expect(points).toHaveCount(9);
  await expect(figure(page, 'Length')).toHaveText(length);
  await page.getByRole('button', { name: 'Raise degree' }).click();
  await expect(figure(page, 'Length')).toHaveText(length);
  await page.getByLabel('Points to recast to').fill('5');
  await page.locator('.button-row').getByRole('button', { name: 'Recast' }).click();
  await expect(page.getByText(/has 5 points now; that cost [\d.]+ mm/)).toBeVisible();
  await expect(points).toHaveCount(5);
  // Curvature at both ends takes six.
  const keeps = page.getByLabel("Keep the ends' curvature");
  await keeps.check();
  await page.getByLabel('Degree to recast to').fill('2');
  await page.locator('.button-row').getByRole('button', { name: 'Recast' }).click();
  await expect(page.getByText('give at least 6 points and degree 2')).toBeVisible();
  await page.getByLabel('Points to recast to').fill('7');
  await page.locator('.button-row').getByRole('button', { name: 'Recast' }).click();
  await expect(page.getByText(/has 7 points now; that cost [\d.]+ mm/)).toBeVisible();
  await expect(points).toHaveCount(7);
  await page.getByLabel('Curvature comb').check();
  await expect(page.locator('#sheet .comb')).toHaveCount(2);
  await points.nth(2).click();
  await page.getByRole('button', { name: 'Freeze' }).click();
  await expect(page.getByRole('button', { name: 'Free', exact: true })).toBeVisible();
  await page.getByLabel('Coordinates').fill('1, 1');
  await page.getByLabel('Coordinates').press('Enter');
  await expect(page.getByText('point 3 is frozen')).toBeVisible();
  await page.getByRole('button', { name: 'Free', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Freeze' })).toBeVisible();
  await points.nth(3).click({ modifiers: ['Shift'] });
  await expect(page.getByText('2 points')).toBeVisible();
  await page.getByLabel('Scale the points').fill('0.5');
  await page.getByLabel('Scale the points').press('Tab');
  await saved(page);
  const before = await boxOf(points.nth(2));
  await page.getByRole('button', { name: 'Gather' }).click();
  await expect.poll(async () => (await boxOf(points.nth(2))).x).not.toBe(before.x);
  const [a, b] = [await boxOf(points.nth(2)), await boxOf(points.nth(3))];
  expect(Math.hypot(a.x - b.x, a.y - b.y)).toBeLessThan(0.5);
});

test('snapping names what it snapped to; Shift keeps to the grid; lengths and angles are typed', async ({ page }) => {
  await makePart(page, 'Snapping');
  await openDrawing(page);
  await drawTyped(page, 'Through', ['11, 13', '31, 27']);
  await tool(page, 'Circle').click();
  await clickAll(page, [
    [50, 40],
    [57, 40],
  ]);
  await tool(page, 'Through').click();
  const at = await paper(page);
  const word = page.locator('#sheet .snap-word');
  for (const [place, name] of [
    [[11, 13], 'end'],
    [[21, 20], 'middle'],
    [[50, 40], /point|centre/],
  ]) {
    await page.mouse.move(...at(...place));
    await expect(word).toContainText(name);
  }
  await expect(word).toContainText('50, 40');
  // From (50, 20) lines touch the circle of radius 7 about (50, 40), and stand square to the line.
  await page.mouse.click(...at(50, 20));
  const reach = Math.sqrt(400 - 49);
  await page.waitForTimeout(600);
  const touch = [50 + (7 * reach) / 20, 40 - 49 / 20];
  await page.mouse.move(...at(...touch));
  await expect(word).toContainText('tangent');
  await page.mouse.move(...at(50, 33));
  await expect(word).toContainText('square');
  await page.keyboard.press('Escape');
  await tool(page, 'Through').click();
  await page.mouse.move(...at(26, 23.5));
  await expect(word).toContainText('along');
  await page.keyboard.down('Shift');
  await page.mouse.move(...at(20.6, 20.3));
  await page.mouse.move(...at(20.7, 20.3));
  await expect(word).toContainText('grid');
  await page.keyboard.up('Shift');
  // From (0, 0) 25 mm at 30 degrees, then an arc that goes on from there.
  await drawTyped(page, 'Through', ['0, 0', '25; 30 deg']);
  await tool(page, 'Edit').click();
  await page.locator('#sheet .point').last().click();
  await expect(figure(page, 'Length')).toHaveText('25 mm');
  await expect(page.getByLabel('Coordinates')).toHaveValue(/cos\(30 deg\)/);
});

test('an arc goes as far round as the pointer goes, and a curve through points is pulled tight', async ({ page }) => {
  await makePart(page, 'Round');
  await openDrawing(page);
  await tool(page, 'Arc about').click();
  await clickAll(page, [
    [30, 30],
    [40, 30],
  ]);
  const at = await paper(page);
  for (const [x, y] of [
    [37, 37],
    [30, 40],
    [23, 37],
    [20, 30],
    [23, 23],
    [30, 20],
  ]) {
    await page.mouse.move(...at(x, y), { steps: 3 });
    await page.waitForTimeout(60);
  }
  await page.mouse.click(...at(30, 20));
  await saved(page);
  await tool(page, 'Edit').click();
  await pickAt(page, [30 - Math.SQRT1_2 * 10, 30 + Math.SQRT1_2 * 10]);
  // Three quarters of a circle of radius 10, or the other quarter.
  await expect(figure(page, 'Length')).toHaveText('47.124 mm');
  await value(page, 'Way round').selectOption({ label: 'With the clock' });
  await expect(figure(page, 'Length')).toHaveText('15.708 mm');
  await drawTyped(page, 'Through', ['10, 0', '20, 0', '20, 10', '50, 10']);
  await tool(page, 'Edit').click();
  await page.locator('#sheet .point').last().click();
  const length = async () => parseFloat(await figure(page, 'Length').textContent());
  await expect.poll(length).toBeGreaterThan(50);
  const loose = await length();
  await value(page, 'Spacing').selectOption({ label: 'Distances' });
  await expect.poll(length).not.toBe(loose);
  await value(page, 'Tension').fill('0.95');
  await value(page, 'Tension').press('Tab');
  // Its polyline is 50 mm long.
  await expect.poll(length).toBeLessThan(50.3);
  await value(page, 'Tension').fill('1.5');
  await value(page, 'Tension').press('Tab');
  await expect(page.locator('.sheet-error')).toContainText('tension is 0 to 0.99');
});

test('a section pinned to guides follows them, and planes come in a row', async ({ page }) => {
  await makePart(page, 'Pinned');
  await openDrawing(page);
  await drawTyped(page, 'Through', ['10, 0', '14, 30', '20, 60']);
  await page.getByRole('button', { name: 'Done' }).click();
  await byCard(page, 'l', 'Plane', async (card) => {
    await card.getByLabel('Beside').selectOption({ label: 'XY' });
    await card.getByLabel('Distance').fill('10');
    await card.getByLabel('How many').fill('3');
    await card.getByLabel('Spacing').fill('20');
  });
  await page.keyboard.press('d');
  await expect(page.getByLabel('Drawing sheet')).toBeVisible();
  await page.getByLabel('Plane of the drawing').selectOption({ label: 'Plane / 2' });
  await expect(page.locator('#sheet .guide-place')).toHaveCount(1);
  // The profile crosses z = 30 at x = 14.
  const at = await paper(page);
  await page.mouse.move(...at(14.1, 0.1));
  await expect(page.locator('#sheet .snap-word')).toContainText('guide');
  await page.mouse.click(...at(14.1, 0.1));
  await page.mouse.click(...at(30, 20));
  await page.keyboard.press('Enter');
  await tool(page, 'Edit').click();
  await page.locator('#sheet .point').first().click();
  await expect(page.getByText('pinned to Profile')).toBeVisible();
  const before = await figure(page, 'Length').textContent();
  await page.getByRole('button', { name: 'Copy to all planes' }).click();
  await expect(page.locator('.lineage-row')).toHaveCount(5);
  // The guide moves, and the section with it.
  await page.locator('.lineage-row').first().getByRole('button').click();
  await page.locator('#sheet .point').nth(1).click();
  await page.getByLabel('Coordinates').fill('24, 30');
  await page.getByLabel('Coordinates').press('Enter');
  await saved(page);
  await page.locator('.lineage-row').nth(2).getByRole('button').click();
  await page.locator('#sheet .point').first().click();
  await expect(figure(page, 'Length')).not.toHaveText(before);
  await page.getByRole('button', { name: 'Unpin' }).click();
  await expect(page.getByLabel('Coordinates')).toHaveValue(/^24, /);
});

test('two views make a space curve; parallel ones are refused with the reason', async ({ page }) => {
  await makePart(page, 'Crossed');
  await openDrawing(page);
  await drawTyped(page, 'Through', ['0, 0', '20, 15', '5, 40']);
  await page.getByRole('button', { name: 'Done' }).click();
  await page.keyboard.press('d');
  await expect(page.locator('.lineage-row')).toHaveCount(2);
  await drawTyped(page, 'Through', ['0, 0', '10, 40']);
  await page.getByRole('button', { name: 'Done' }).click();
  await page.keyboard.press('v');
  const card = page.getByRole('dialog', { name: 'Crossed projection' });
  await expect(card.getByRole('alert')).toContainText('parallel planes');
  await card.getByRole('button', { name: /Leave/ }).click();
  await page.locator('.lineage-row').nth(1).getByRole('button').click();
  await page.getByLabel('Plane of the drawing').selectOption({ label: 'YZ' });
  await saved(page);
  await page.getByRole('button', { name: 'Done' }).click();
  await byCard(page, 'v', 'Crossed projection', async (opened) => {
    await expect(opened).toContainText('Deviation reached');
    await expect(opened.getByRole('alert')).toHaveCount(0);
  });
  await expect(page.locator('.lineage-row')).toHaveCount(3);
});

test('helices, space curves and points are made on cards', async ({ page }) => {
  await makePart(page, 'In space');
  await byCard(page, 'h', 'Helix', async (card) => {
    await card.getByLabel('Radius', { exact: true }).fill('10');
    await card.getByLabel('Radius at the end').fill('10');
    await card.getByLabel('Pitch').fill('5');
    await card.getByLabel('Turns').fill('2');
    // AL-02: 126.061 mm, within the fit tolerance.
    await expect(card).toContainText(/126\.0[56]/);
  });
  await byCard(page, 'q', 'Point', async (card) => {
    await card.getByLabel('How').selectOption({ label: 'On a curve, by ratio' });
    await card.getByLabel('Ratio').fill('1');
  });
  await byCard(page, 'w', 'Space curve', async (card) => {
    await card.locator('#slot-points').selectOption({ label: 'Point' });
    const typed = card.getByLabel('Type a point of Points');
    await typed.fill('30, 0, 10');
    await typed.press('Enter');
    await typed.fill('nonsense');
    await typed.press('Enter');
    await expect(card.locator('.slot-row')).toHaveCount(2);
    // From (10, 0, 10) to (30, 0, 10).
    await expect(card).toContainText('20 mm');
    await card.getByLabel('Go on from').selectOption({ label: 'Helix' });
    await expect(card).toContainText('Smallest radius');
    await expect(card.getByRole('alert')).toHaveCount(0);
  });
  await byCard(page, 'y', 'Join curves', async (card) => {
    const pick = card.locator('#slot-curves');
    await pick.selectOption({ label: 'Helix' });
    await pick.selectOption({ label: 'Space curve' });
    await expect(card).toContainText('Largest gap closed');
  });
  await expect(page.locator('.lineage-row')).toHaveCount(4);
});
