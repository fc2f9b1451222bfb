// A part from a stranger, with markup and script in every text that a recipe may hold, opened on every page.
const { test, expect } = require('@playwright/test');

const MARKUP = [
  '"><img src=x onerror="window.ran=1">',
  "'><svg/onload=window.ran=1>",
  '</script><script>window.ran=1</script>',
  '<p x-data x-init="window.ran=1">',
  '{{constructor.constructor("window.ran=1")()}}',
  '"><iframe srcdoc="<script>parent.ran=1</script>">',
  'javascript:window.ran=1',
];
const LONG = (text) => text.slice(0, 80);

/** Every name, note and item hostile; ids cannot be. */
function hostile() {
  const [a, b, c, d, e, f, g] = MARKUP.map(LONG);
  return {
    format: 'kindred-shell-recipe',
    version: 2,
    name: a,
    parameters: [{ name: 'wall', quantity: 'length', formula: '2 mm', note: MARKUP.join('\n') }],
    steps: [
      {
        id: 'p',
        name: b,
        group: 'Group 1',
        make: {
          drawing: {
            plane: 'xz',
            curves: [
              {
                id: 'curve 1',
                kind: 'through_points',
                points: [
                  [0, 0],
                  [20, 0],
                  [24, 30],
                ],
              },
            ],
          },
        },
      },
      { id: 'r', name: c, make: { revolve: { profile: { step: 'p' } } } },
      { id: 't', name: d, make: { thicken: { surface: { step: 'r' }, thickness: 'wall' } } },
      { id: 'lost', name: e, make: { fillet: { edges: [{ step: 't', item: MARKUP.join(' ') }], radius: 1 } } },
      { id: 'bad', name: f, make: { helix: { axis: { step: 'p', item: g }, radius: 5, pitch: 3, turns: 2 } } },
    ],
  };
}

/** Opens a page and notes whatever runs or is stopped on it that should not be there. */
async function watch(page) {
  const seen = [];
  page.on('pageerror', (error) => seen.push(`error: ${error.message}`));
  page.on('dialog', (dialog) => {
    seen.push(`dialog: ${dialog.message()}`);
    dialog.dismiss();
  });
  page.on('console', (message) => {
    if (/Content Security Policy|Alpine Expression Error|CSP Parser/i.test(message.text())) seen.push(message.text());
  });
  return async (where) => {
    expect(await page.evaluate(() => window.ran), where).toBeUndefined();
    const strange = await page.evaluate(
      () => document.querySelectorAll('iframe, body script:not([type="application/json"]), [onerror], [onload]').length,
    );
    expect(strange, where).toBe(0);
    expect(seen, where).toEqual([]);
  };
}

test('a part whose every text is hostile runs nothing on any page', async ({ page, request }) => {
  const made = await request.post('/api/parts', { data: hostile() });
  expect(made.status(), await made.text()).toBe(201);
  const { id } = await made.json();
  const clean = await watch(page);

  await page.goto('/');
  await expect(page.getByText(LONG(MARKUP[0]), { exact: true }).first()).toBeVisible();
  await clean('the rack');
  await page.goto(`/?search=${encodeURIComponent(MARKUP[1])}`);
  await expect(page.getByText('No part is called that')).toBeVisible();
  await clean('the rack, searched');
  await page.goto('/keys');
  await clean('keys');
  await page.goto(`/parts/${encodeURIComponent(MARKUP[0])}`);
  await expect(page.getByText('This did not work')).toBeVisible();
  await clean('a page that is not there');

  await page.goto(`/parts/${id}`);
  const names = page.locator('.lineage-name');
  await expect(names.filter({ hasText: LONG(MARKUP[2]) })).toBeVisible();
  await clean('the part');
  // Its drawing, with every mark that a sheet draws.
  await names.filter({ hasText: LONG(MARKUP[1]) }).click();
  await expect(page.locator('#sheet .curve')).toHaveCount(1);
  await page.keyboard.press('g');
  await page.keyboard.press('m');
  // The sheet is drawn once before it knows how large its drawing is.
  const hit = page.locator('#sheet .hit').first();
  await expect.poll(async () => (await hit.boundingBox())?.width ?? 0).toBeGreaterThan(20);
  await hit.click({ force: true });
  await clean('the sheet');
  await page.keyboard.press('Escape');
  // Cards, one of which says what is wrong with names that are not there.
  for (const [k, kind] of [
    [2, 'Revolve'],
    [3, 'Thicken'],
    [4, 'Fillet'],
    [5, 'Helix'],
  ]) {
    // An open card would take the next one for what goes into its slots.
    await page.keyboard.press('Escape');
    await names.filter({ hasText: LONG(MARKUP[k]) }).click();
    await expect(page.locator('.card-panel:visible .card-head')).toContainText(kind);
    await clean(`the card of ${kind}`);
  }
  await page.getByText('1 parameters').click();
  await expect(page.getByLabel('Formula of wall')).toHaveValue('2 mm');
  await clean('parameters');
  for (const stage of ['Prove', 'Send']) {
    await page.getByRole('button', { name: stage }).first().click();
    await clean(stage);
  }
  await page.keyboard.press('/');
  await clean('find a tool');
});

test('ids have one form; what an older recipe calls otherwise gets it', async ({ page, request }) => {
  const recipe = hostile();
  for (const [where, change] of [
    ['a step', (r) => (r.steps[0].id = MARKUP[0])],
    ['a curve', (r) => (r.steps[0].make.drawing.curves[0].id = MARKUP[1])],
    ['a group', (r) => (r.steps[0].group = MARKUP[2])],
    ['a change', (r) => (r.steps[0].make.drawing.changes = [{ change: 'join', curves: ['curve 1'], id: MARKUP[3] }])],
    ['a parameter', (r) => (r.parameters[0].name = MARKUP[4])],
  ]) {
    const copy = structuredClone(recipe);
    change(copy);
    const refused = await request.post('/api/parts', { data: copy });
    expect(refused.status(), where).toBe(422);
    expect((await refused.json()).error, where).toMatch(/letters, digits/);
  }
  // Version 1 let ids hold anything.
  const old = { ...structuredClone(recipe), version: 1 };
  const drawn = old.steps[0].make.drawing;
  const [first] = drawn.curves;
  drawn.curves = MARKUP.map((text, k) => ({ ...structuredClone(first), id: LONG(text), guide: k > 0 }));
  old.steps[0].group = '<b>Group</b>';
  old.steps[1].make.revolve.profile.item = LONG(MARKUP[0]);
  const made = await request.post('/api/parts', { data: old });
  expect(made.status(), await made.text()).toBe(201);
  const { id } = await made.json();
  const kept = (await (await request.get(`/api/parts/${id}`)).json()).recipe;
  expect(kept.version).toBe(3);
  for (const curve of kept.steps[0].make.drawing.curves) expect(curve.id).toMatch(/^[\p{L}\p{N} ._-]{1,80}$/u);
  expect(kept.steps[1].make.revolve.profile.item).toBe(kept.steps[0].make.drawing.curves[0].id);
  const clean = await watch(page);
  await page.goto(`/parts/${id}`);
  await page
    .locator('.lineage-name')
    .filter({ hasText: LONG(MARKUP[1]) })
    .click();
  await expect(page.locator('#sheet .curve')).toHaveCount(MARKUP.length);
  await clean('the sheet of an older recipe');
});

test('only the server’s own pages may ask, and refusals carry the same headers', async ({ request, baseURL }) => {
  const own = new URL(baseURL);
  const policy = (answer) => answer.headers()['content-security-policy'];
  for (const [headers, status] of [
    [{}, 200],
    [{ Origin: own.origin }, 200],
    [{ Origin: `http://127.0.0.1:${Number(own.port) + 1}` }, 403],
    [{ Origin: `http://localhost:${own.port}` }, 403],
    [{ Origin: 'http://example.org' }, 403],
    [{ Origin: 'null' }, 403],
    [{ Host: `example.org:${own.port}` }, 403],
    [{ 'Sec-Fetch-Site': 'same-site' }, 403],
    [{ 'Sec-Fetch-Site': 'same-origin' }, 200],
  ]) {
    const answer = await request.get('/api/parts', { headers });
    expect(answer.status(), JSON.stringify(headers)).toBe(status);
    expect(policy(answer)).toContain("script-src 'self';");
    expect(policy(answer)).not.toContain('unsafe');
    expect(answer.headers()['cross-origin-opener-policy']).toBe('same-origin');
    expect(answer.headers()['cross-origin-resource-policy']).toBe('same-origin');
    if (status === 403) expect((await answer.json()).kind).toBe('foreign');
  }
});

test('refusals repeat little of what was sent, on one line', async ({ request }) => {
  const long = `${'x'.repeat(5000)}\r\nSet-Cookie: a=b`;
  for (const answer of [
    await request.post('/api/parts', { data: { ...hostile(), name: long } }),
    await request.post('/api/parts', { data: { ...hostile(), [long]: 1 } }),
    await request.get(`/api/parts?${encodeURIComponent(long)}=1`),
    await request.get(`/api/parts/${encodeURIComponent(long)}`),
    await request.get(`/api/${encodeURIComponent(long)}`),
  ]) {
    expect(answer.status()).toBeGreaterThanOrEqual(400);
    const { error, kind } = await answer.json();
    expect(kind).toBeTruthy();
    expect(error).not.toMatch(/[\r\n]/);
    expect(error).not.toContain('x'.repeat(201));
  }
});

test('a file is called as its part is, in any script', async ({ page, request }) => {
  const { id } = await (await request.post('/api/parts', { data: { ...hostile(), name: '漏斗 №1/2' } })).json();
  const answer = await request.get(`/api/parts/${id}/recipe.json`);
  expect(answer.headers()['content-disposition']).toContain(`filename*=UTF-8''${encodeURIComponent('漏斗 №1-2')}.json`);
  await page.goto(`/parts/${id}`);
  await page.getByRole('button', { name: 'Send' }).first().click();
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Send STEP' }).click();
  expect((await download).suggestedFilename()).toBe('漏斗 №1-2.step');
});
