// What a page says when things break: cut off, overtaken, taken off the rack, sent twice.
const { test, expect } = require('@playwright/test');
const { makePart } = require('./person.js');

const idOf = (page) => page.url().split('/').at(-1);
const edit = (request, id, version, name, headers = {}) =>
  request.post(`/api/parts/${id}/edits`, { data: { version, edits: [{ edit: 'rename_part', name }] }, headers });

test('a page that was cut off says what came in between and keeps what was typed', async ({ page, request }) => {
  let cut = null;
  let closed = false;
  await page.routeWebSocket(/\/live$/, (channel) => {
    if (closed) return channel.close();
    channel.connectToServer();
    cut = () => channel.close();
  });
  await makePart(page, 'Cut off');
  const id = idOf(page);
  // A card with something typed into it.
  await page.keyboard.press('q');
  const card = page.getByRole('dialog', { name: 'Point' });
  const typed = card.locator('input.form-control').first();
  await typed.fill('12.5');
  closed = true;
  await cut();
  await expect(page.locator('.saved')).toContainText('no connection');
  expect((await edit(request, id, 1, 'Changed meanwhile')).status()).toBe(200);
  expect((await edit(request, id, 2, 'Changed twice')).status()).toBe(200);
  await page.waitForTimeout(500);
  await expect(page.getByLabel('Name of the part')).toHaveValue('Cut off');
  closed = false;
  await expect(page.getByText('While you were cut off this part went on to version 3')).toBeVisible();
  await expect(page.getByLabel('Name of the part')).toHaveValue('Changed twice');
  await expect(card).toBeVisible();
  await expect(typed).toHaveValue('12.5');
});

test('a part that is taken off the rack elsewhere is told at once and can be put back', async ({ page, request }) => {
  await makePart(page, 'Taken off');
  const id = idOf(page);
  expect((await request.delete(`/api/parts/${id}`)).status()).toBe(204);
  await expect(page.getByText('taken off the rack elsewhere')).toBeVisible();
  await page.getByRole('button', { name: 'Put it back' }).click();
  await expect(page.getByText('on the rack again')).toBeVisible();
  expect((await edit(request, id, 1, 'Back')).status()).toBe(200);
  await expect(page.getByLabel('Name of the part')).toHaveValue('Back');
  const removed = await (await request.get('/api/parts?removed=true')).json();
  expect(removed.parts.map((p) => p.id)).not.toContain(id);
});

test('an edit whose answer is lost is sent again by one click and made once', async ({ page, request }) => {
  await makePart(page, 'Lost answer');
  const id = idOf(page);
  let lost = 0;
  await page.route(/\/edits$/, async (route) => {
    if (lost++) return route.continue();
    // It arrives and is carried out; the answer does not come back.
    await route.fetch();
    return route.abort();
  });
  const name = page.getByLabel('Name of the part');
  await name.fill('Renamed once');
  await name.press('Enter');
  await expect(page.getByText('It may have been saved before the connection broke')).toBeVisible();
  // The page looks by itself how it stands.
  await expect(name).toHaveValue('Renamed once');
  await page.getByRole('button', { name: 'Try again' }).click();
  await expect(page.locator('.saved')).toHaveText('saved · version 2');
  const { entries } = await (await request.get(`/api/parts/${id}/history`)).json();
  expect(entries.map((e) => e.label)).toEqual(['Rename the part to Renamed once', 'Begin']);
});

test('a key stands for one request', async ({ request }) => {
  const recipe = { format: 'kindred-shell-recipe', version: 2, name: 'Keyed', steps: [] };
  const create = (data, key) => request.post('/api/parts', { data, headers: { 'Idempotency-Key': key } });
  const key = `key-${Date.now()}`;
  const [first, again] = [await create(recipe, key), await create(recipe, key)];
  const { id } = await first.json();
  expect((await again.json()).id).toBe(id);
  const other = await create({ ...recipe, name: 'Other' }, key);
  expect(other.status()).toBe(422);
  expect((await other.json()).kind).toBe('key_taken');
  expect((await create(recipe, 'x'.repeat(101))).status()).toBe(400);
  const made = await edit(request, id, 1, 'Twice', { 'Idempotency-Key': `${key}-2` });
  expect((await made.json()).version).toBe(2);
  expect((await (await edit(request, id, 1, 'Twice', { 'Idempotency-Key': `${key}-2` })).json()).version).toBe(2);
  expect((await edit(request, id, 1, 'Twice')).status()).toBe(409);
});

test('what is misspelt, unknown or empty is refused by its name', async ({ request }) => {
  const recipe = { format: 'kindred-shell-recipe', version: 2, name: 'Strict', steps: [] };
  const { id } = await (await request.post('/api/parts', { data: recipe })).json();
  const edits = (data) => request.post(`/api/parts/${id}/edits`, { data });
  const one = [{ edit: 'rename_part', name: 'x' }];
  for (const [answer, status, said] of [
    [await edits({ version: 1, edits: [] }), 422, /at least one/],
    [await edits({ version: 1, edits: one, mustbuild: 'p' }), 400, /mustbuild/],
    [await edits({ version: 1, edits: one, must_build: 'p' }), 422, /no step `p`/],
    [await edits({ version: 1, edits: [{ edit: 'set_hold', step: 'q' }] }), 422, /no step `q`/],
    [await edits({ version: 1, edits: [{ edit: 'rename_part', name: 'a\u0000b' }] }), 422, /control characters/],
    [await request.get('/api/parts?serch=x'), 400, /serch/],
    [await request.get(`/api/parts/${id}/report?x=1`), 400, /x/],
    [await request.get(`/api/parts/${id}/send/stl?set=wall=3mm`), 422, /no parameter `wall`/],
    [await request.get(`/api/parts/${id}/topology?step=q`), 404, /`q` is not there/],
    [await request.get('/api/parts/not-an-id'), 400, /UUID/i],
    [await request.get('/api/nothing'), 404, /nothing at this address/],
    [await request.put(`/api/parts/${id}`, { data: {} }), 405, /does not take PUT/],
    [await request.post('/api/parts', { data: { ...recipe, hold: 'q' } }), 422, /hold at `q`/],
  ]) {
    const { error } = await answer.json();
    expect([answer.status(), error]).toEqual([status, expect.stringMatching(said)]);
  }
  expect((await (await request.get(`/api/parts/${id}`)).json()).version).toBe(1);
});

test('what is kept is asked for by its tag, listed by pages, copied and found', async ({ request }) => {
  const recipe = { format: 'kindred-shell-recipe', version: 2, name: `Kept ${Date.now()}`, steps: [] };
  const { id } = await (await request.post('/api/parts', { data: recipe })).json();
  for (const what of ['', '/report', '/topology', '/recipe.json']) {
    const first = await request.get(`/api/parts/${id}${what}`);
    const { etag } = first.headers();
    const again = await request.get(`/api/parts/${id}${what}`, { headers: { 'If-None-Match': etag } });
    expect([first.status(), again.status()], what).toEqual([200, 304]);
  }
  const copy = await (await request.post(`/api/parts/${id}/copy`, { data: {} })).json();
  const renamed = await request.post(`/api/parts/${copy.id}/rename`, { data: { version: 1, name: 'Kept elsewhere' } });
  expect(renamed.status()).toBe(200);
  const found = await (await request.get(`/api/parts?search=${encodeURIComponent(recipe.name)}`)).json();
  expect(found.parts.map((p) => p.id)).toEqual([id]);
  const page = await (await request.get('/api/parts?per_page=2&page=2')).json();
  expect([page.parts.length, page.page, page.per_page]).toEqual([2, 2, 2]);
  expect(page.total).toBeGreaterThan(12);
});
