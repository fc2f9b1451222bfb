// Patches picked edge by edge, surfaces shaped by their points, and ways of looking at how surfaces run.
const { test, expect } = require('@playwright/test');
const { accept, card, drawTyped, drawing, ledger, lookFor, makePart, makeTurned, reached, row } = require('./person');

test('a tube is closed by a patch that is picked, tangent, looked at, and joined', async ({ page }) => {
  await makeTurned(page, 'Cap', ['20, 0', '20, 20']);
  await expect(ledger(page, 'free_edges')).toContainText('2 free edges');
  await page.keyboard.press('Shift+P');
  const patch = card(page, 'Patch');
  await page.mouse.click(...(await lookFor(page, /^Click for Edges: .*v end/, [0.3, 0.1, 0.7, 0.6])));
  await expect(patch.locator('.slot-row')).toHaveCount(1);
  // In position only it is a disc: pi r^2.
  await expect(reached(page, 'Area')).toContainText(/1\s?256\.6/);
  await patch.getByLabel('Takes over 1').selectOption({ label: 'Tangent' });
  await expect(reached(page, 'Edge 1')).toContainText(/mm · 0\.0\d* deg/);
  await expect(reached(page, 'Area')).not.toContainText(/1\s?256\.6/);
  await accept(page, 'Patch');
  await expect(page.locator('.lineage-row')).toHaveCount(3);
  // Before it is joined its seam stands under Prove, and stays in view once it is picked.
  await page.getByRole('button', { name: 'Prove' }).click();
  const measures = card(page, 'Measures');
  await expect(measures).toContainText('Not joined yet');
  await measures.locator('.seam').filter({ hasText: 'along' }).click();
  const seam = page.getByLabel('Seam in view');
  await expect(seam).toContainText('G1');
  await expect(seam).toContainText(/Angle0\.0\d\d deg/);
  await measures.getByRole('button', { name: 'Close' }).click();
  await expect(seam).toBeVisible();
  // Changed to position, the same seam tells at once.
  await row(page, 2).click();
  await patch.getByLabel('Takes over 1').selectOption({ label: 'Position' });
  await expect(seam).toContainText('G0');
  await expect(seam).toContainText('90.000 deg');
  await page.keyboard.press('Escape');
  await expect(seam).toContainText('G1');
  await page.keyboard.press('a');
  const join = card(page, 'Join');
  for (const i of [1, 2]) await row(page, i).click();
  await expect(join.locator('.slot-row')).toHaveCount(2);
  await accept(page, 'Join');
  await expect(ledger(page, 'free_edges')).toContainText('1 free edge');
});

test('edges that do not close are told with their gap and place; a missing one mends it', async ({ page }) => {
  await makePart(page, 'Frame');
  const side = async (points) => {
    await page.keyboard.press('w');
    const field = card(page, 'Space curve').getByLabel('Type a point of Points');
    for (const p of points) {
      await field.fill(p);
      await field.press('Enter');
    }
    const rows = await page.locator('.lineage-row').count();
    await accept(page, 'Space curve');
    await expect(page.locator('.lineage-row')).toHaveCount(rows + 1);
  };
  await side(['0, 0, 0', '30, 0, 0']);
  await side(['30, 0, 0', '30, 30, 10']);
  await side(['30, 30, 10', '0, 30, 0']);
  await side(['0, 30, 0', '0, 0, 0']);
  await page.keyboard.press('Shift+P');
  const patch = card(page, 'Patch');
  for (const i of [2, 0, 1]) await row(page, i).click();
  await expect(patch.getByRole('alert')).toContainText('open by 30.000 mm');
  await expect(patch.getByRole('button', { name: 'Show me' })).toBeVisible();
  await row(page, 3).click();
  await expect(patch.getByRole('alert')).toHaveCount(0);
  await expect(reached(page, 'Edge 4')).toContainText('mm');
  // A point inside is passed through; one beside is refused, and nothing typed is lost.
  await patch.getByLabel('Type a point of Points inside').fill('15, 15, 8');
  await patch.getByLabel('Type a point of Points inside').press('Enter');
  await expect(reached(page, 'Deviation reached')).toContainText('mm');
  await patch.getByLabel('Points inside 1').fill('60, 15, 8');
  await patch.getByLabel('Points inside 1').blur();
  await expect(patch.getByRole('alert')).toContainText('lies outside the edges');
  await patch.getByLabel('Points inside 1').fill('15, 15, 6');
  await patch.getByLabel('Points inside 1').blur();
  await expect(patch.getByRole('alert')).toHaveCount(0);
  await accept(page, 'Patch');
  await expect(ledger(page, 'free_edges')).toContainText('4 free edges');
});

test('a sheet is shaped by its points: rows, drags, typed moves, a gathered end and its cure', async ({ page }) => {
  test.setTimeout(150_000);
  await makePart(page, 'Sheet');
  await drawing(page, 'XZ', '', () => drawTyped(page, 'Through', ['-20, 0', '20, 0']));
  await page.keyboard.press('z');
  await card(page, 'Extrude').getByLabel('Forwards').fill('30 mm');
  await accept(page, 'Extrude');
  await expect(ledger(page, 'free_edges')).toContainText('4 free edges');
  await page.keyboard.press('Shift+R');
  const shape = card(page, 'Reshape');
  const todo = shape.getByLabel('What to do');
  const changes = shape.getByLabel('Changes so far').locator('li');
  await todo.selectOption({ label: 'Raise the degree' });
  await shape.getByLabel('Along', { exact: true }).selectOption({ label: 'Both' });
  await shape.getByLabel('To', { exact: true }).fill('3');
  await shape.getByRole('button', { name: 'Do it' }).click();
  await expect(shape).toContainText('4 rows × 4 columns');
  // Nothing is picked: it says what to do first.
  await todo.selectOption({ label: 'Move', exact: true });
  await shape.getByRole('button', { name: 'Do it' }).click();
  await expect(shape.getByRole('alert')).toContainText('Pick points first');
  // A row in one click, moved by typing; then a point by dragging.
  await page.mouse.click(...(await lookFor(page, /^Row 2: click/, [0.2, 0.2, 0.72, 0.9])));
  await expect(shape).toContainText('Picked: row 2');
  await shape.getByLabel('By x, y, z').fill('0, 0, 6');
  await shape.getByLabel('By x, y, z').press('Enter');
  await expect(changes).toHaveCount(2);
  await expect(reached(page, 'Largest move of a point')).toHaveText('6 mm');
  const [x, y] = await lookFor(page, /^Point 3, 2: drag/, [0.2, 0.2, 0.72, 0.9]);
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 30, y - 20, { steps: 6 });
  await page.mouse.up();
  await expect(changes).toHaveCount(3);
  await expect(changes.nth(2)).toContainText('Move point 3, 2 by');
  await changes.nth(2).getByRole('button').click();
  await expect(changes).toHaveCount(2);
  // A border is pulled by its line.
  const [bx, by] = await lookFor(page, /drag it to pull this border/, [0.2, 0.2, 0.72, 0.9]);
  await page.mouse.move(bx, by);
  await page.mouse.down();
  await page.mouse.move(bx, by - 25, { steps: 5 });
  await page.mouse.up();
  await expect(changes.nth(2)).toContainText('Pull the');
  await changes.nth(2).getByRole('button').click();
  // An end gathered to a point pinches here; one click brings the row next to it onto one plane.
  await page.mouse.click(...(await lookFor(page, /^Row 1: drag/, [0.2, 0.2, 0.72, 0.9])));
  await todo.selectOption({ label: 'Gather midway' });
  await expect(shape.getByLabel('Between row, column')).toHaveValue('1, 1');
  await shape.getByRole('button', { name: 'Do it' }).click();
  await expect(changes.nth(2)).toContainText('Gather row 1 midway between 1, 1 and 1, 4');
  await page.mouse.click(...(await lookFor(page, /^Point 2, 2: drag/, [0.2, 0.2, 0.72, 0.9])));
  await todo.selectOption({ label: 'Move', exact: true });
  await shape.getByLabel('By x, y, z').fill('0, 0, 4');
  await shape.getByRole('button', { name: 'Do it' }).click();
  await expect(shape.getByRole('alert')).toContainText('pinches at its tip');
  await shape.getByRole('button', { name: 'Bring that row onto one plane' }).click();
  await expect(shape.getByRole('alert')).toHaveCount(0);
  await expect(changes).toHaveCount(5);
  await accept(page, 'Reshape');
  await expect(page.locator('.lineage-row')).toHaveCount(3);
  await page.reload();
  await row(page, 2).click();
  await expect(changes).toHaveCount(5);
});

test('curvature is shown in colours with figures, as combs, nets and stripes', async ({ page }) => {
  await makeTurned(page, 'Pipe', ['20, 0', '20, 20']);
  await expect(ledger(page, 'free_edges')).toContainText('2 free edges');
  await page.getByLabel('Shading').selectOption({ label: 'Mean curvature' });
  const legend = page.locator('.legend');
  // CV-02: the mean curvature of a cylinder is 1 / (2 r), here 0.025; it bulges all over.
  await expect(legend).toContainText('−0.025');
  await expect(legend).toContainText('1/mm');
  await page.getByLabel('Shading').selectOption({ label: 'Gaussian curvature' });
  await expect(legend).toContainText('1/mm²');
  await page.getByRole('button', { name: 'Combs' }).click();
  // The longest tooth is the curvature of the circle, 1 / r.
  await expect(page.locator('.tooth')).toContainText('longest tooth 0.0500 1/mm');
  await page.getByRole('button', { name: 'Nets' }).click();
  await expect(page.getByRole('button', { name: 'Nets' })).toHaveAttribute('aria-pressed', 'true');
  await page.getByLabel('Shading').selectOption({ label: 'Zebra' });
  await expect(legend).toBeHidden();
  // An edge that is no seam opens its step, as a face does.
  await page.getByLabel('Shading').selectOption({ label: 'Plain' });
  await page.mouse.click(...(await lookFor(page, /Revolve.*v end/, [0.3, 0.1, 0.7, 0.6])));
  await expect(card(page, 'Revolve')).toBeVisible();
});
