// Bad input over the network: each refused with a message that names the input and the cure; the server stays up.
const { test, expect } = require('@playwright/test');
const http = require('node:http');

const recipe = (steps, rest = {}) => ({ format: 'kindred-shell-recipe', version: 1, name: 'Sent', steps, ...rest });
const drawing = (points) => ({
  id: 'd',
  name: 'D',
  make: { drawing: { plane: 'xz', curves: [{ id: 'c', kind: 'through_points', points }] } },
});

test('recipes that cannot be used are refused by name', async ({ request }) => {
  const cases = [
    ['not json', /this is no recipe/],
    [recipe([], { format: 'other' }), /`other`/],
    [recipe([], { version: 99 }), /version 99/],
    [{ format: 'kindred-shell-recipe', version: 1, steps: [] }, /name/],
    [recipe([{ id: 'r', name: 'R', make: { revolve: { profile: { step: 'gone' } } } }]), /`gone`, which is not there/],
    [recipe([{ id: 'r', name: 'R', make: { revolve: { profile: { step: 'r' } } } }]), /refers to itself/],
    [
      recipe([
        { id: 'r', name: 'R', make: { revolve: { profile: { step: 'd' } } } },
        drawing([
          [0, 0],
          [1, 1],
        ]),
      ]),
      /comes after it/,
    ],
    [
      recipe([
        drawing([
          [0, 0],
          [1, 1],
        ]),
        drawing([
          [0, 0],
          [1, 1],
        ]),
      ]),
      /`d` is there twice/,
    ],
    [
      recipe([], {
        parameters: [
          { name: 'a', quantity: 'length', formula: 'b' },
          { name: 'b', quantity: 'length', formula: 'a' },
        ],
      }),
      /in a circle/,
    ],
    [recipe([], { parameters: [{ name: 'a', quantity: 'length', formula: '2 deg' }] }), /a length is needed/],
  ];
  for (const [data, message] of cases) {
    const answer = await request.post('/api/parts', {
      data: typeof data === 'string' ? Buffer.from(data) : data,
      headers: { 'Content-Type': 'application/json' },
    });
    expect([400, 422]).toContain(answer.status());
    expect((await answer.json()).error).toMatch(message);
  }
});

test('bad geometry fails its step alone, names the place, and the rest stays built', async ({ request }) => {
  const revolve = { id: 'r', name: 'R', make: { revolve: { profile: { step: 'd' } } } };
  const cases = [
    [
      [
        [1, 0],
        [1, 0],
        [5, 5],
      ],
      'd',
      /points 1 and 2 of c are the same place/,
    ],
    [
      [
        [1, 0],
        [1e300, 0],
      ],
      'd',
      /1e300 mm is too far away/,
    ],
    [
      [
        [5, 0],
        [9, 20],
        [-8, 30],
        [30, 45],
      ],
      'r',
      /crosses/,
    ],
    [
      [
        [-0.3, 0],
        [30, 20],
      ],
      'r',
      /0\.300 mm beyond the axis/,
    ],
  ];
  for (const [points, step, message] of cases) {
    const made = await request.post('/api/parts', { data: recipe([drawing(points), revolve]) });
    const { id } = await made.json();
    const report = await (await request.get(`/api/parts/${id}/report`)).json();
    const failed = report.steps.find((s) => s.step === step);
    expect(failed.state).toBe('failed');
    expect(failed.error.message).toMatch(message);
    expect(report.ready).toBe(false);
    await request.delete(`/api/parts/${id}`);
  }
});

test('an upload of 100 MB is refused and the server stays up', async ({ request, baseURL }) => {
  const status = await new Promise((resolve) => {
    const upload = http.request(
      `${baseURL}/api/parts`,
      { method: 'POST', headers: { 'Content-Type': 'application/json' } },
      (answer) => {
        answer.resume();
        resolve(answer.statusCode);
      },
    );
    upload.on('error', () => resolve('cut off'));
    const chunk = Buffer.alloc(1 << 20, 0x20);
    let sent = 0;
    const more = () => {
      while (sent < 100) {
        sent += 1;
        if (!upload.write(chunk)) return upload.once('drain', more);
      }
      upload.end();
    };
    more();
  });
  expect([413, 'cut off']).toContain(status);
  expect((await request.get('/')).ok()).toBe(true);
});

test('foreign hosts and origins are refused', async ({ request, baseURL }) => {
  expect((await request.get('/', { headers: { Origin: 'http://elsewhere.example' } })).status()).toBe(403);
  expect((await request.get('/', { headers: { Origin: baseURL } })).status()).toBe(200);
  const { port } = new URL(baseURL);
  const status = await new Promise((resolve) =>
    http.get({ host: '127.0.0.1', port, path: '/', headers: { Host: 'elsewhere.example' } }, (a) => {
      a.resume();
      resolve(a.statusCode);
    }),
  );
  expect(status).toBe(403);
});

test('a stale write is a conflict that changes nothing', async ({ request }) => {
  const { id } = await (await request.post('/api/parts', { data: recipe([]) })).json();
  const rename = (version, name) =>
    request.post(`/api/parts/${id}/edits`, { data: { version, edits: [{ edit: 'rename_part', name }] } });
  expect((await rename(1, 'First')).ok()).toBe(true);
  const stale = await rename(1, 'Second');
  expect(stale.status()).toBe(409);
  expect((await stale.json()).error).toMatch(/changed elsewhere/);
  expect((await (await request.get(`/api/parts/${id}`)).json()).name).toBe('First');
});

test('a part without anything to send says so', async ({ request }) => {
  const made = await request.post('/api/parts', {
    data: { format: 'kindred-shell-recipe', version: 1, name: 'Empty', steps: [] },
  });
  const { id } = await made.json();
  const empty = await request.get(`/api/parts/${id}/send/step`);
  expect(empty.status()).toBe(422);
  expect((await empty.json()).error).toMatch(/no surface or solid yet/);
});
