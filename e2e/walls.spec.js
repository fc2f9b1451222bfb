// Walls, hollowed solids, offsets and extensions, made with what is picked in space.
const { test, expect } = require('@playwright/test');
const {
  accept,
  card,
  drawTyped,
  drawing,
  ledger,
  lookFor,
  makePart,
  makeTurned,
  rectangle,
  settledVolume,
  reached,
  row,
  middle,
} = require('./person');

/** A tube with a radius of 20 mm and a height of 20 mm. */
const tube = (page, name) => makeTurned(page, name, ['20, 0', '20, 20']);

async function solid(page, name) {
  await tube(page, name);
  await page.getByRole('button', { name: /^Cap the 2 openings/ }).click();
  await expect(ledger(page, 'watertight')).toContainText('yes');
}

test('a solid is hollowed out, open at a face that is picked by clicking', async ({ page }) => {
  test.slow();
  await solid(page, 'Tray');
  await page.keyboard.press('Shift+H');
  const hollow = card(page, 'Hollow');
  await expect(hollow.getByLabel('Solid', { exact: true }).locator('option')).toHaveText([
    /Pick one/,
    'Revolve capped',
  ]);
  // Closed all round at first: pi (20^2 20 - 18^2 16).
  await expect(reached(page, 'Volume')).toContainText(/8\.847 mL/);
  await page.mouse.click(...(await lookFor(page, /^Click for Open at: .*cap/, middle)));
  await expect(hollow.locator('.slot-row')).toHaveCount(1);
  // pi (20^2 20 - 18^2 18)
  await expect(reached(page, 'Volume')).toContainText(/6\.811 mL/);
  // The solid was there to be picked from; now the tray is looked at.
  await hollow.getByText('What it makes', { exact: true }).click();
  await hollow.getByLabel('Thickness', { exact: true }).fill('25 mm');
  await expect(hollow).toContainText(/do not meet|folds over/);
  await hollow.getByLabel('Thickness', { exact: true }).fill('3 mm');
  await accept(page, 'Hollow');
  await expect(ledger(page, 'self_crossing')).toContainText('no');
  expect(Math.abs((await settledVolume(page)) - Math.PI * (8000 - 17 * 17 * 17))).toBeLessThan(0.1);
});

test('a tube is extended over an edge that is picked, and given a wall', async ({ page }) => {
  test.slow();
  await tube(page, 'Longer');
  await page.keyboard.press('Shift+X');
  const extend = card(page, 'Extend');
  await row(page, 1).click();
  // All around at first: 2 pi 20 (20 + 2 10).
  await expect(reached(page, 'Area')).toContainText(/5\s?026\.5/);
  await page.mouse.click(...(await lookFor(page, /^Click for Edges: .*[uv] (start|end)/, middle)));
  await expect(extend.locator('.slot-row')).toHaveCount(1);
  await expect(reached(page, 'Area')).toContainText(/3\s?769\.9/);
  await accept(page, 'Extend');
  await page.keyboard.press('t');
  await row(page, 2).click();
  await card(page, 'Thicken').getByText('Both ways', { exact: true }).click();
  await accept(page, 'Thicken');
  await expect(ledger(page, 'watertight')).toContainText('yes');
  // pi (22^2 - 18^2) 30
  expect(Math.abs((await settledVolume(page)) - Math.PI * 160 * 30)).toBeLessThan(0.1);
});

test('a solid is offset with its rims kept, and tells how far inward it can go', async ({ page }) => {
  await solid(page, 'Grown');
  await page.keyboard.press('Shift+O');
  const offset = card(page, 'Offset');
  await row(page, 2).click();
  // pi 22^2 24
  await expect(reached(page, 'Volume')).toContainText(/36\.493 mL/);
  await offset.getByLabel('Distance').fill('-25 mm');
  // Nothing is left beyond half the height.
  await expect(offset).toContainText(/-25\.000 mm does not fit: .*; -9\.9\d\d mm would fit/);
  await offset.getByLabel('Distance').fill('-2 mm');
  await accept(page, 'Offset');
  // pi 18^2 16
  expect(Math.abs((await settledVolume(page)) - Math.PI * 18 * 18 * 16)).toBeLessThan(0.1);
  await expect(page.locator('.ledger-item[data-item="watertight"]')).toContainText('1 solid');
});

test('a hole is closed by clicking into it, and a face is swapped for a slanted surface', async ({ page }) => {
  test.slow();
  await makePart(page, 'Mended');
  await drawing(page, 'XY', '', rectangle(page, '-20, -15', '20, 15'));
  await page.keyboard.press('z');
  const extrude = card(page, 'Extrude');
  await extrude.getByLabel('Forwards').fill('20 mm');
  await accept(page, 'Extrude');
  await drawing(page, 'XY', '', () => drawTyped(page, 'Circle', ['0, 0', '8, 0']));
  await page.keyboard.press('z');
  await row(page, 2).click();
  await row(page, 1).click();
  await extrude.getByLabel('How far').selectOption({ label: 'Through all of the solid' });
  await extrude.getByText('Cut from it', { exact: true }).click();
  await accept(page, 'Extrude');
  expect(Math.abs((await settledVolume(page)) - (24000 - 64 * Math.PI * 20))).toBeLessThan(0.1);
  await page.keyboard.press('Shift+D');
  await page.mouse.click(...(await lookFor(page, /^Click for Faces: .*Profile 2/, middle)));
  await expect(reached(page, 'Volume')).toHaveText('24 mL');
  await accept(page, 'Remove faces');
  // A slanted sheet above: z = 30 + x / 4.
  await drawing(page, 'XZ', '', () => drawTyped(page, 'Lines', ['-40, 20', '40, 40']));
  await page.keyboard.press('z');
  await row(page, 5).click();
  await extrude.getByLabel('Forwards').fill('30 mm');
  await extrude.getByLabel('Backwards').fill('30 mm');
  await accept(page, 'Extrude');
  await page.keyboard.press('Shift+W');
  const swap = card(page, 'Swap face');
  await swap.getByLabel('By', { exact: true }).selectOption({ label: 'Extrude 3' });
  await page.mouse.click(...(await lookFor(page, /^Click for Face: Remove faces: face cap/, middle)));
  await accept(page, 'Swap face');
  expect(Math.abs((await settledVolume(page)) - 1200 * 30)).toBeLessThan(0.5);
});

for (const [part, name, walls] of [
  ['Rain funnel', 'Wall', [0.3, 1, 2.5, 4, 5.5, 6.5, 8, 25]],
  ['Sensor pod', 'Pod', [0.3, 1, 2.5, 4, 6, 9]],
  ['Hoist handle', 'Hollow grip', [0.3, 1, 2.5, 5, 8, 12]],
]) {
  test(`${part}: its wall follows every thickness, and what is refused says what is built`, async ({ page }) => {
    test.slow();
    await page.goto('/');
    await page.getByText(part).click();
    await expect(ledger(page, 'watertight')).toContainText('yes');
    await page.locator('.lineage-name', { has: page.getByText(name, { exact: true }) }).click();
    const field = card(page, name).getByLabel(/^Thickness/);
    /** Types a thickness and waits for what becomes of it: it, or the one that is said to fit. */
    const becomes = async (wall) => {
      await field.fill(`${wall} mm`);
      const refused = new RegExp(
        `a wall of ${wall.toFixed(3)} mm does not fit: [^;]*; (\\d+\\.\\d+) mm in all would fit`,
      );
      const outcome = async () => {
        const told = (await card(page, name).textContent()).match(refused);
        if (told) return Number(told[1]);
        const thinnest = (await reached(page, 'Wall, thinnest').allTextContents()).join('').replace(/[^\d.]/g, '');
        return Math.abs(Number(thinnest) / wall - 1) < 0.01 ? wall : null;
      };
      let made = null;
      await expect.poll(async () => (made = await outcome()), { timeout: 40_000 }).not.toBeNull();
      return made;
    };
    for (const wall of walls) {
      const fits = await becomes(wall);
      if (fits !== wall) {
        expect(fits).toBeLessThan(wall);
        expect(await becomes(fits)).toBe(fits);
      }
    }
    // Everything but the last is built.
    expect(await becomes(walls.at(-2))).toBe(walls.at(-2));
  });
}

test('one side of a hollow is thicker, by a ramp, and the thickness is shown in colours', async ({ page }) => {
  test.slow();
  // A round bar whose side is drawn in two pieces that go on smoothly.
  await makePart(page, 'Thick');
  await drawing(page, 'XZ', '', () => drawTyped(page, 'Lines', ['0, 0', '20, 0', '20, 20', '20, 40', '0, 40']));
  await page.keyboard.press('r');
  await accept(page, 'Revolve');
  await expect(ledger(page, 'watertight')).toContainText('yes');
  await page.keyboard.press('Shift+H');
  const hollow = card(page, 'Hollow');
  await expect(reached(page, 'Volume')).toContainText(/mL/);
  await expect(hollow.getByText('Between them')).toBeHidden();
  await hollow.getByLabel('Other thickness', { exact: true }).click();
  await page.mouse.click(...(await lookFor(page, /^Click for Other thickness: .*curve 1 2/, middle)));
  await expect(hollow.locator('.slot-row')).toHaveCount(1);
  await hollow.getByLabel('Under those', { exact: true }).fill('4 mm');
  await hollow.getByText('A ramp', { exact: true }).click();
  await hollow.getByLabel('Ramp', { exact: true }).fill('60 mm');
  await expect(hollow).toContainText(/a ramp of 60.000 mm has no room here; .* mm or a step would fit/);
  await hollow.getByLabel('Ramp', { exact: true }).fill('6 mm');
  await accept(page, 'Hollow');
  // Rooms of radius 16 and 18 with a frustum of 6 between, under lids of 2.
  const frustum = (Math.PI / 3) * 6 * (16 * 16 + 16 * 18 + 18 * 18);
  const room = Math.PI * (18 * 16 * 16 + 12 * 18 * 18) + frustum;
  expect(Math.abs((await settledVolume(page)) - (Math.PI * 400 * 40 - room))).toBeLessThan(0.1);
  await page.getByLabel('Shading').selectOption({ label: 'Wall thickness' });
  const legend = page.locator('.legend');
  await expect(legend).toContainText('2.00');
  await expect(legend).toContainText('straight through the solid');
  await page.getByLabel('Shading').selectOption({ label: 'Plain' });
  await expect(legend).toBeHidden();
});

test('a tube is thicker under one of its faces, by a step', async ({ page }) => {
  test.slow();
  // A tube drawn in two pieces that go on smoothly.
  await makePart(page, 'Thick tube');
  await drawing(page, 'XZ', '', () => drawTyped(page, 'Lines', ['20, 0', '20, 20', '20, 40']));
  await page.keyboard.press('r');
  await accept(page, 'Revolve');
  await page.keyboard.press('t');
  const thicken = card(page, 'Thicken');
  await expect(reached(page, 'Total thickness')).toContainText('2 mm');
  await thicken.getByLabel('Other thickness', { exact: true }).click();
  await page.mouse.click(...(await lookFor(page, /^Click for Other thickness: .*curve 1 2/, middle)));
  await expect(thicken.locator('.slot-row')).toHaveCount(1);
  await thicken.getByLabel('Under those', { exact: true }).fill('3 mm');
  await thicken.getByText('Outward', { exact: true }).click();
  await expect(reached(page, 'Total thickness')).toContainText('3 mm');
  await accept(page, 'Thicken');
  // Rings from 20 out to 22 and to 23.
  const wall = Math.PI * 20 * (22 * 22 - 400) + Math.PI * 20 * (23 * 23 - 400);
  expect(Math.abs((await settledVolume(page)) - wall)).toBeLessThan(0.1);
});
