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
  const open = async (part) => {
    await page.goto('/');
    await page.getByText(part, { exact: true }).click();
    await page.locator('.ledger-head.ready').waitFor();
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
  await page.goto('/');
  await page.getByText('Clamp bracket', { exact: true }).click();
  await page.locator('.lineage-row').first().getByRole('button').click();
  await page.locator('#sheet .point').first().waitFor();
  await page.locator('#sheet .point').nth(2).click();
  await shot('changes');
  await page.goto('/');
  await page.getByText('Hoist handle', { exact: true }).click();
  await page.locator('.lineage-row').nth(2).getByRole('button').click();
  await shot('crossed-projection');
  await page.goto('/');
  await page.getByText('Vane fin', { exact: true }).click();
  await page.locator('.lineage-row').nth(3).getByRole('button').click();
  await page.getByLabel('Curvature comb').check();
  await shot('pins');
  await page.getByRole('button', { name: 'Done' }).click();
  await page.getByRole('button', { name: /parameters/ }).click();
  await shot('parameters');
  await page.goto('/keys');
  await shot('keys');
  await browser.close();
})();
