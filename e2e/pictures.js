// Makes the pictures in docs/screenshots from a running demo with untouched data: node pictures.js http://127.0.0.1:8437
const { chromium } = require('playwright-core');
const config = require('./playwright.config');

(async () => {
  const address = process.argv[2];
  const browser = await chromium.launch(config.use.launchOptions);
  const page = await browser.newPage({ viewport: config.use.viewport, baseURL: address });
  const shot = async (name) => {
    await page.waitForTimeout(1800);
    await page.screenshot({ path: `${__dirname}/../docs/screenshots/${name}.png` });
  };
  const open = async (part, row) => {
    await page.goto('/');
    await page.getByText(part, { exact: true }).click();
    if (row === undefined) await page.locator('.ledger-head.ready').waitFor();
    else await page.locator('.lineage-row').nth(row).locator('.lineage-name').click();
  };
  await page.goto('/');
  await shot('rack');
  await open('Rain funnel');
  await shot('part');
  await page.locator('.lineage-row').nth(1).getByRole('button').click();
  await shot('card');
  await page.keyboard.press('Escape');
  await page.locator('.lineage-row').first().getByRole('button').click();
  await page.getByLabel('Control polygon').check();
  await shot('sheet');
  await page.getByRole('button', { name: 'Done' }).click();
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await shot('send');
  await open('Drip tray');
  await page.getByRole('button', { name: 'Prove' }).click();
  await shot('measures');
  await open('Clamp bracket', 0);
  await page.locator('#sheet .point').first().waitFor();
  await page.locator('#sheet .point').nth(2).click();
  await shot('changes');
  await open('Hoist handle', 2);
  await shot('crossed-projection');
  await open('Vane fin');
  await page.getByRole('button', { name: /parameters/ }).click();
  await shot('parameters');
  await open('Wind cup');
  await page.keyboard.press('u');
  await page.mouse.move(640, 430);
  // The first click picks the face, the others places on it.
  for (const at of [
    [640, 430],
    [600, 370],
    [660, 410],
    [740, 370],
    [810, 430],
    [880, 400],
  ]) {
    await page.mouse.click(...at);
    await page.waitForTimeout(300);
  }
  await shot('curve-on-surface');
  await open('Vane fin', 8);
  await shot('loft');
  await open('Gull coil', 10);
  await shot('sweep');
  const named = (name) => page.locator('.lineage-name > span').getByText(name, { exact: true }).click();
  await open('Sensor pod');
  await named('Nose');
  await page.getByText('Reached').waitFor();
  await shot('patch');
  await page.keyboard.press('Escape');
  await page.getByLabel('Shading').selectOption('mean');
  await page.getByRole('button', { name: 'Prove' }).click();
  await page.locator('.seam').filter({ hasText: 'G2' }).first().click();
  await page.getByRole('button', { name: 'Whole' }).click();
  await shot('curvature');
  await open('Air inlet splitter');
  await page.getByLabel('Shading').selectOption('zebra');
  await shot('zebra');
  await open('Solar hood');
  await named('Rounded skin');
  await page.getByText('6 rows × 5 columns').waitFor();
  await shot('reshape');
  await open('Float');
  await named('Cut against each other');
  await page.locator('.slot-row').nth(3).waitFor();
  await shot('trim');
  await open('Drip tray');
  await named('Water');
  await page.locator('.chart').waitFor();
  await shot('fill-to-level');
  await page.goto('/keys');
  await shot('keys');
  await browser.close();
})();
