// The public JSON interface and the live channel, as another program would use them.
const { test, expect } = require('@playwright/test');

const recipe = (steps, more = {}) => ({
  format: 'kindred-shell-recipe',
  version: 1,
  name: 'By program',
  steps,
  ...more,
});
const profile = (id, points, kind = 'through_points') => ({
  id,
  name: id,
  make: { drawing: { plane: 'xz', curves: [{ id: 'curve 1', kind, points }] } },
});
const revolve = (id, of) => ({ id, name: id, make: { revolve: { profile: { step: of } } } });

async function bringIn(request, body) {
  const answer = await request.post('/api/parts', { data: body });
  expect(answer.status()).toBe(201);
  return (await answer.json()).id;
}

/** A profile of two legs. */
const BEND = [
  [0, 0],
  [10, 0],
  [10, 10],
];

/** Says things over the live channel of a part and gives what was heard until `until` is met. */
function talk(page, id, said, until) {
  return page.evaluate(
    ([id, said, until]) =>
      new Promise((resolve, reject) => {
        const heard = [];
        const socket = new WebSocket(`ws://${location.host}/api/parts/${id}/live`);
        socket.binaryType = 'arraybuffer';
        socket.onopen = () => said.filter((s) => !s.when).forEach((s) => socket.send(JSON.stringify(s.say ?? s)));
        socket.onerror = () => reject(new Error('no channel'));
        socket.onmessage = ({ data }) => {
          if (typeof data === 'string') heard.push(JSON.parse(data));
          else {
            const view = new DataView(data);
            const json = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 28, view.getUint32(20, true))));
            heard.push({ kind: 'view', ticket: Number(view.getBigUint64(0, true)), report: json.extras.report });
          }
          const last = heard.at(-1);
          said
            .filter((s) => s.when === last.kind && !s.done)
            .forEach((s) => {
              s.done = true;
              socket.send(JSON.stringify(s.say));
            });
          if (last.kind === until) {
            socket.close();
            resolve(heard);
          }
        };
      }),
    [id, said, until],
  );
}

test('the description names every path, and its schemas are there', async ({ request }) => {
  const document = await (await request.get('/api/openapi.json')).json();
  expect(document.openapi).toBe('3.1.0');
  const text = JSON.stringify(document);
  const wanted = [...text.matchAll(/"#\/components\/schemas\/([^"]+)"/g)].map((m) => m[1]);
  expect(wanted.length).toBeGreaterThan(20);
  expect(Object.keys(document.components.schemas).filter((name) => /\d$/.test(name))).toEqual([]);
  for (const name of wanted) expect(document.components.schemas, name).toHaveProperty([name]);
  // Every path that takes no body answers for a part that is there.
  const id = await bringIn(request, recipe([profile('p', BEND), revolve('r', 'p')]));
  for (const [path, methods] of Object.entries(document.paths)) {
    if (!methods.get || path.endsWith('/live')) continue;
    const asked =
      { recast: '?step=p&curve=curve%201&points=6&degree=3', nearest: '?step=p&x=9&y=1' }[path.split('/').at(-1)] ?? '';
    const answer = await request.get(
      path.replace('{id}', id).replace('{format}', 'step').replace('{step}', 'p').replace('{entry}', '0') + asked,
    );
    expect(answer.status(), path).toBe(200);
  }
});

test('edits stand or fall together, and a stale version is told', async ({ request }) => {
  const id = await bringIn(request, recipe([profile('p', BEND)]));
  const edit = (version, edits) => request.post(`/api/parts/${id}/edits`, { data: { version, edits } });
  const made = await (
    await edit(1, [
      { edit: 'rename_part', name: 'Renamed' },
      { edit: 'add_step', step: { ...revolve('', 'p'), name: 'Turned' } },
    ])
  ).json();
  expect(made).toMatchObject({ name: 'Renamed', version: 2, added: 'turned' });
  // The second of these does not fit: neither is made.
  const refused = await edit(2, [
    { edit: 'rename_part', name: 'Again' },
    { edit: 'remove_step', step: 'nobody' },
  ]);
  expect(refused.status()).toBe(422);
  expect((await refused.json()).error).toContain('nobody');
  expect(await (await request.get(`/api/parts/${id}`)).json()).toMatchObject({ name: 'Renamed', version: 2 });
  const stale = await edit(1, [{ edit: 'rename_part', name: 'Late' }]);
  expect(stale.status()).toBe(409);
  expect((await stale.json()).kind).toBe('conflict');
});

test('an edit by which a step would fail is refused with the place, where that is asked', async ({ request }) => {
  const id = await bringIn(request, recipe([profile('p', BEND)]));
  const move = (version, to, more) =>
    request.post(`/api/parts/${id}/edits`, {
      data: { version, edits: [{ edit: 'move_point', step: 'p', curve: 'curve 1', index: 1, to }], ...more },
    });
  const refused = await move(1, [0, 0], { must_build: 'p' });
  expect(refused.status()).toBe(422);
  expect(await refused.json()).toMatchObject({
    kind: 'unbuilt',
    at: [0, 0, 0],
    error: expect.stringContaining('same place'),
  });
  expect((await (await request.get(`/api/parts/${id}`)).json()).version).toBe(1);
  // Without asking it is saved, and then whatever is done next is taken too, until it is mended.
  expect((await move(1, [0, 0])).status()).toBe(200);
  expect((await move(2, [10, 10], { must_build: 'p' })).status()).toBe(200);
  expect((await move(3, [10, 1], { must_build: 'p' })).status()).toBe(200);
  const report = await (await request.get(`/api/parts/${id}/report`)).json();
  expect(report.steps[0].state).toBe('built');
});

test('a step moves in the order, but never before what it is made from', async ({ request }) => {
  const id = await bringIn(
    request,
    recipe([
      profile('a', [
        [0, 0],
        [9, 0],
      ]),
      profile('b', [
        [0, 0],
        [5, 0],
      ]),
      revolve('r', 'a'),
    ]),
  );
  const move = (version, step, before) =>
    request.post(`/api/parts/${id}/edits`, { data: { version, edits: [{ edit: 'move_step', step, before }] } });
  const order = async (answer) => (await answer.json()).recipe.steps.map((s) => s.id);
  expect(await order(await move(1, 'r', 'b'))).toEqual(['a', 'r', 'b']);
  expect(await order(await move(2, 'a', 'a'))).toEqual(['a', 'r', 'b']);
  const refused = await move(3, 'r', 'a');
  expect(refused.status()).toBe(422);
  expect((await refused.json()).error).toContain('comes after it');
  const undone = await request.post(`/api/parts/${id}/undo`, { data: { version: 3 } });
  expect(await order(undone)).toEqual(['a', 'r', 'b']);
});

test('a long rebuild tells how far it is and stops when asked', async ({ page, request }) => {
  // Many wavy profiles, each turned and thickened, which takes a while; every one is different, so that none is cached.
  const steps = [];
  for (let k = 0; k < 40; k++) {
    const points = Array.from({ length: 60 }, (_, i) => [30 + 4 * Math.sin(i / 3 + k), i * 1.5]);
    steps.push(profile(`p${k}`, points), revolve(`r${k}`, `p${k}`), {
      id: `t${k}`,
      name: `t${k}`,
      make: { thicken: { surface: { step: `r${k}` }, thickness: 0.5 } },
    });
  }
  const id = await bringIn(request, recipe(steps));
  await page.goto('/keys');
  const heard = await talk(
    page,
    id,
    [
      { do: 'show', ticket: 7, version: 1, edits: [] },
      { when: 'progress', say: { do: 'stop' } },
    ],
    'view',
  );
  const progress = heard.filter((h) => h.kind === 'progress');
  expect(progress.length).toBeGreaterThan(0);
  expect(progress[0]).toMatchObject({ ticket: 7, of: 120 });
  const view = heard.at(-1);
  expect(view.ticket).toBe(7);
  const states = view.report.steps.map((s) => s.state);
  expect(states).toContain('cancelled');
  expect(states).toContain('built');
  // Going on builds the rest.
  const rest = await talk(page, id, [{ do: 'show', ticket: 8, version: 1, edits: [] }], 'view');
  expect(rest.at(-1).report.steps.every((s) => s.state === 'built')).toBe(true);
});

test('a view with edits that are not saved leaves the part alone; nonsense is refused by name', async ({
  page,
  request,
}) => {
  const id = await bringIn(
    request,
    recipe([
      profile('p', [
        [0, 0],
        [10, 5],
      ]),
      revolve('r', 'p'),
    ]),
  );
  await page.goto('/keys');
  const edits = [{ edit: 'move_point', step: 'p', curve: 'curve 1', index: 1, to: [12, '1 cm'] }];
  const [view] = (await talk(page, id, [{ do: 'show', ticket: 1, version: 1, edits }], 'view')).slice(-1);
  expect(view.report.bodies[0].bounding_box[1][0]).toBeCloseTo(12, 9);
  expect((await (await request.get(`/api/parts/${id}`)).json()).version).toBe(1);
  const refused = await talk(
    page,
    id,
    [{ do: 'show', ticket: 2, version: 1, edits: [{ ...edits[0], step: 'q' }] }],
    'refused',
  );
  expect(refused.at(-1)).toMatchObject({ ticket: 2, error: expect.stringContaining('`q`') });
  const unread = await talk(page, id, [{ do: 'dance' }], 'refused');
  expect(unread.at(-1).error).toContain('dance');
});
