// What a person does on the pages: clicking on the paper, reading the ledger.
const { expect } = require('@playwright/test');

/** Makes a part from the rack and waits for its page. */
async function makePart(page, name) {
  await page.goto('/');
  await page.getByLabel('Name of the new part').fill(name);
  await page.getByRole('button', { name: 'Make a new part' }).click();
  await expect(page.getByText('Begin with a profile')).toBeVisible();
  // The words stand in the page before its script runs; this is written by the script.
  await expect(page.locator('.saved')).toHaveText('new');
}

/** Opens a drawing and draws a curve by typing its coordinates. */
async function drawTyped(page, tool, points) {
  await page.getByRole('toolbar', { name: 'Drawing tools' }).getByRole('button', { name: tool, exact: true }).click();
  const field = page.getByLabel('Coordinates');
  for (const point of points) {
    await field.fill(point);
    await field.press('Enter');
  }
  await field.press('Enter');
  await expect(page.locator('#sheet .pending')).toHaveCount(0);
}

async function openDrawing(page) {
  await page.getByRole('button', { name: 'Open a drawing on the XZ plane' }).click();
  await expect(page.getByLabel('Drawing sheet')).toBeVisible();
  await expect(page.locator('#sheet .axis')).toHaveCount(2);
}

/** A part with one profile through typed points, turned about the axis. */
async function makeTurned(page, name, points) {
  await makePart(page, name);
  await openDrawing(page);
  await drawTyped(page, 'Through', points);
  await page.getByRole('button', { name: 'Done' }).click();
  await page.keyboard.press('r');
  const card = page.getByRole('dialog', { name: 'Revolve' });
  await card.getByRole('button', { name: /Accept/ }).click();
}

/** Where a place of the drawing is on the screen, read off two labelled grid lines as a person would. */
async function paper(page) {
  const scale = await page.evaluate(() => {
    const texts = [...document.querySelectorAll('#sheet text')]
      .map((t) => ({ v: Number(t.textContent), x: Number(t.getAttribute('x')), y: Number(t.getAttribute('y')) }))
      .filter((t) => Number.isFinite(t.v));
    const rows = texts.filter((t) => t.x === 4).sort((a, b) => a.v - b.v);
    const columns = texts.filter((t) => t.x !== 4).sort((a, b) => a.v - b.v);
    const perMm = (rows[0].y - rows.at(-1).y) / (rows.at(-1).v - rows[0].v);
    const box = document.getElementById('sheet').getBoundingClientRect();
    return {
      perMm,
      x0: box.left + columns[0].x - 3 - columns[0].v * perMm,
      y0: box.top + rows[0].y + 3 + rows[0].v * perMm,
    };
  });
  return (x, y) => [scale.x0 + x * scale.perMm, scale.y0 - y * scale.perMm];
}

/**
 * Looks over a region of the part in space with the pointer, shares of the picture from its top left, until the words
 * under it say what is wanted; gives the place.
 */
async function lookFor(page, wanted, [x0, y0, x1, y1] = [0, 0, 1, 1]) {
  const words = page.locator('.hover-word');
  // At a glance first, since what is looked for is often large; again between the first places, since it may only just have
  // been shown, and the picture moved.
  for (const [shift, step] of [
    [13, 27],
    [6, 12],
    [11, 12],
    [8, 12],
  ]) {
    const box = await page.locator('#space').boundingBox();
    for (let y = box.y + y0 * box.height + shift; y < box.y + y1 * box.height; y += step) {
      for (let x = box.x + x0 * box.width + shift; x < box.x + x1 * box.width; x += step) {
        await page.mouse.move(x, y);
        if (wanted.test(await words.textContent()) && (await isSeen(page, x, y))) return [x, y];
      }
    }
  }
  throw new Error(`nothing in space says ${wanted}`);
}

/** Whether a place of the picture lies open, under no card. */
const isSeen = (page, x, y) => page.evaluate(([x, y]) => document.elementFromPoint(x, y)?.id === 'space', [x, y]);

const ledger = (page, id) => page.locator(`.ledger-item[data-item="${id}"] b`);

/** The volume in mm³ that the ledger shows. */
async function volume(page) {
  return number(ledger(page, 'volume'));
}

/** The volume once what is shown no longer changes. */
async function settledVolume(page) {
  for (let last = await volume(page); ; ) {
    await page.waitForTimeout(700);
    const now = await volume(page);
    if (now === last) return now;
    last = now;
  }
}

/** What a card says it reached, by its label. */
const reached = (page, label) => page.locator('.reached div', { hasText: label }).locator('dd');
/** The lineage's row of a step, counted from 0. */
const row = (page, n) => page.locator('.lineage-row').nth(n).getByRole('button');
const number = async (locator) => Number((await locator.textContent()).replace(/[^\d.]/g, ''));
/** The middle of the picture, beside the cards. */
const middle = [0.2, 0.1, 0.75, 0.8];

const card = (page, name) => page.getByRole('dialog', { name });
/** Accepts a card and waits until that is saved: the preview shows the same before. */
async function accept(page, name) {
  await card(page, name)
    .getByRole('button', { name: /Accept/ })
    .click();
  await expect(page.locator('.saved')).not.toHaveText('saving');
}

/** A drawing on a main plane, so far from it, with what `draw` draws. */
async function drawing(page, plane, offset, draw) {
  if (await page.getByRole('button', { name: 'Open a drawing on the XZ plane' }).isVisible()) await openDrawing(page);
  else {
    const rows = await page.locator('.lineage-row').count();
    await page.keyboard.press('d');
    await expect(page.locator('.lineage-row')).toHaveCount(rows + 1);
    await expect(page.getByLabel('Drawing sheet')).toBeVisible();
    await expect(page.locator('#sheet .axis')).toHaveCount(2);
    await expect(page.locator('#sheet .point')).toHaveCount(0);
  }
  await page.getByLabel('Plane of the drawing').selectOption({ label: plane });
  if (offset) {
    await page.getByLabel('Offset from the plane').fill(offset);
    await page.getByLabel('Offset from the plane').press('Enter');
  }
  await draw();
  await page.getByRole('button', { name: 'Done' }).click();
}

/** A rectangle from corner to corner. */
const rectangle = (page, from, to) => () => drawTyped(page, 'Rectangle', [from, to]);

module.exports = {
  accept,
  card,
  drawing,
  rectangle,
  lookFor,
  makePart,
  makeTurned,
  drawTyped,
  openDrawing,
  paper,
  ledger,
  volume,
  settledVolume,
  reached,
  row,
  number,
  middle,
};
