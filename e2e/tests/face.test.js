// The face of the program: a press that comes early, work that moves nothing, the raw part.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, boxOf, kept, open, patient, ready } from '../tools/program.js';

const at = house();

/** @param {string} name @param {number} [session] */
async function strip(name, session = 1) {
  const { session: document } = await at.document(session);
  return document.strips.find((/** @type {any} */ s) => s.name === name);
}

/**
 * A Bench that cannot play yet, until what matches an address is let come.
 * @param {string} held
 */
async function slowBench(held) {
  const context = await patient(at.b, { viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  let letCome = () => {};
  const come = new Promise((resolve) => {
    letCome = () => resolve(undefined);
  });
  await page.route(held, async (route) => {
    await come;
    await route.continue();
  });
  await page.goto(`${at.server.url}/sessions/1/bench/${(await strip('Cellos')).id}`, { waitUntil: 'commit' });
  await page.waitForSelector('#play');
  return { page, letCome, close: () => context.close() };
}

for (const [what, held] of [
  ['its modules are there', '**/views/*.js'],
  ['its engine is there', '**/zinc_engine.wasm'],
]) {
  test(`a press of Space before ${what} is shown, kept, and played when it can be`, async () => {
    const { page, letCome, close } = await slowBench(held);
    await page.locator('body').press('Space');
    await page.waitForSelector('#play[data-wanted]');
    assert.equal(await page.locator('#place').textContent(), 'plays when ready');
    assert.equal(await page.locator('#play[data-ready]').count(), 0, 'it cannot play yet');
    letCome();
    await ready(page);
    await page.waitForFunction(() => window.zincRack.host.playing && window.zincRack.host.position > 0);
    assert.equal(await page.locator('#play[data-wanted]').count(), 0);
    await close();
  });
}

test('a press that is taken back before the page is ready plays nothing', async () => {
  const { page, letCome, close } = await slowBench('**/zinc_engine.wasm');
  await page.click('#play');
  await page.waitForSelector('#play[data-wanted]');
  await page.click('#play');
  assert.notEqual(await page.locator('#place').textContent(), 'plays when ready');
  letCome();
  await ready(page);
  await page.waitForTimeout(600);
  assert.equal(await page.evaluate(() => window.zincRack.host.playing), false);
  await close();
});

test('nothing on the page moves when long work is shown and ends', async () => {
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/bench/${(await strip('Acoustic', 2)).id}`);
  await ready(page);
  const places = async () =>
    Promise.all(
      ['#play', '#sections', '#out-meter', '.listen-more', '#matched', '#unit', '#evidence'].map((what) => boxOf(page.locator(what))),
    );
  await page.waitForFunction(() => /** @type {HTMLElement} */ (document.getElementById('busy')).hidden);
  const before = await places();
  await page.evaluate(() => {
    /** @type {HTMLElement} */ (document.getElementById('busy')).hidden = false;
  });
  assert.deepEqual(await places(), before);
  const [more, busy] = [await boxOf(page.locator('.listen-more')), await boxOf(page.locator('#busy'))];
  assert.ok(more.y + more.height <= 800, 'the second line is within the window');
  assert.ok(busy.y > 0 && busy.x + busy.width <= 1280);
  assert.deepEqual(faults, []);
  await close();
});

test('an edit is kept at once while more is being measured than a browser has connections for', async () => {
  const acoustic = await strip('Acoustic', 2);
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/bench/${acoustic.id}`);
  await ready(page);
  // Eight searches through whole parts, two of which are worked on at a time.
  await page.evaluate(async (id) => {
    const { longWork } = await import(/** @type {any} */ ('/static/js/session/work.js'));
    const state = { ended: 0 };
    Object.assign(window, { state });
    for (let n = 0; n < 8; n += 1)
      void longWork(`/api/sessions/2/strips/${id}/rings`, {}, () => {}).then(
        () => {
          state.ended += 1;
        },
        () => {},
      );
  }, acoustic.id);
  await page.evaluate((id) => window.zincRack.doc.edit({ edit: 'set-note', strip: id, note: 'rings, says the note' }), acoustic.id);
  assert.equal((await strip('Acoustic', 2)).note, 'rings, says the note');
  assert.equal(await page.evaluate(() => /** @type {any} */ (window).state.ended), 0, 'all eight were still under way');
  await page.waitForFunction(() => /** @type {any} */ (window).state.ended === 8);
  assert.deepEqual(faults, []);
  await close();
});

test('figures that are overtaken, or whose page is gone, are stopped; a print goes on', async () => {
  const id = (await strip('Lead DI', 2)).id;
  const stands = async (/** @type {number} */ job) => (await api(`${at.server.url}/api/jobs/${job}`, undefined, 'GET')).json.state;
  const until = async (/** @type {number} */ job, /** @type {string} */ state) => {
    for (const end = Date.now() + 300_000; (await stands(job)) !== state;) {
      assert.ok(Date.now() < end, `job ${job} is ${await stands(job)}, not ${state}`);
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
  };
  const { page, close } = await open(at.b, `${at.server.url}/sessions/2/prints`);
  /** @type {Record<string, number[]>} */
  const jobs = { rings: [], prints: [] };
  page.on('response', async (response) => {
    if (response.request().method() === 'POST') jobs[response.url().split('/').at(-1) ?? '']?.push((await response.json()).job);
  });
  const { session } = await at.document(2);
  const others = session.strips
    .filter((/** @type {any} */ s) => s.audio && s.id !== id)
    .slice(0, 12)
    .map((/** @type {any} */ s) => s.id);
  await page.evaluate(
    async ([strip, ...first]) => {
      const { latestWork, longWork } = await import(/** @type {any} */ ('/static/js/session/work.js'));
      const find = (/** @type {number} */ of) => `/api/sessions/2/strips/${of}/rings`;
      // Enough before them that none has its turn before the page is gone.
      for (const other of first) void longWork(find(other), {}, () => {}).catch(() => {});
      const rings = latestWork();
      void rings(find(strip), {}, () => {}).catch(() => {});
      await new Promise((resolve) => setTimeout(resolve, 300));
      void rings(find(strip), {}, () => {}).catch(() => {});
      void longWork('/api/sessions/2/prints', { strip, bits: '24' }, () => {}).catch(() => {});
    },
    [id, ...others],
  );
  while (jobs.rings.length < others.length + 2 || jobs.prints.length < 1) await page.waitForTimeout(50);
  const [overtaken, figures] = jobs.rings.sort((a, b) => a - b).slice(-2);
  const [print] = jobs.prints;
  assert.equal(await stands(figures), 'running');
  await close();
  await until(overtaken, 'cancelled');
  await until(figures, 'cancelled');
  await until(print, 'done');
});

test('work stopped though the page did not ask, or whose connection is lost, comes to its end; what it overtakes does not', async () => {
  const ids = (await at.document(2)).session.strips.filter((/** @type {any} */ s) => s.audio).map((/** @type {any} */ s) => s.id);
  const { page, close } = await open(at.b, `${at.server.url}/sessions/2/prints`);
  let refused = 0;
  await page.route('**/api/jobs/events**', async (route) => {
    refused += 1;
    if (refused <= 2) await route.abort();
    else await route.continue();
  });
  const [strip, other] = ids.slice(-2);
  /** @type {number[]} */
  const jobs = [];
  page.on('response', async (response) => {
    if (response.request().method() === 'POST' && response.url().endsWith(`/${strip}/rings`)) jobs.push((await response.json()).job);
  });
  // Enough before it that it has not had its turn when it is stopped.
  for (const before of ids.slice(0, 6)) await api(`${at.server.url}/api/sessions/2/strips/${before}/rings`, {});
  await page.evaluate(
    async ([one, another]) => {
      const { latestWork, longWork } = await import(/** @type {any} */ ('/static/js/session/work.js'));
      const find = (/** @type {number} */ of) => `/api/sessions/2/strips/${of}/rings`;
      const state = /** @type {any} */ ({});
      Object.assign(window, { state });
      void longWork(find(one), {}, () => {}).then((/** @type {any} */ found) => {
        state.stopped = found;
      });
      const latest = latestWork();
      void latest(find(another), {}, () => {}).then((/** @type {any} */ found) => {
        state.overtaken = found;
      });
      void latest(find(another), {}, () => {}).then((/** @type {any} */ found) => {
        state.latest = found;
      });
    },
    [strip, other],
  );
  while (jobs.length < 1) await page.waitForTimeout(20);
  // As the server does when it takes the page for gone.
  await api(`${at.server.url}/api/jobs/${jobs[0]}/cancel`, {});
  await page.waitForFunction(() => Object.keys(/** @type {any} */ (window).state).length === 3);
  const state = await page.evaluate(() => /** @type {any} */ (window).state);
  assert.ok(Array.isArray(state.stopped) && Array.isArray(state.latest), JSON.stringify(state));
  assert.equal(state.overtaken, null, 'nothing comes of what was overtaken');
  assert.ok(refused > 2 && jobs.length === 2, `${refused} connections, ${jobs.length} jobs: it was lost, and begun again`);
  await close();
});

test('an untouched Bench shows the raw part, and a first move is one step of undo', async () => {
  const bass = await strip('Bass DI');
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/1/bench/${bass.id}`);
  await ready(page);
  await page.locator('.raw-moves li').first().waitFor();
  const moves = await page.locator('.raw-moves li').allTextContents();
  assert.ok(moves.length >= 1 && moves.length <= 4, moves.join('; '));
  assert.match(moves[0], /Rumble below \d+(\.\d)? Hz, .*High-pass at/, 'cuts come first');
  assert.match((await page.locator('.raw-facts').textContent()) ?? '', /sounds like.*bass.*\d+ %.*begins(E1|F1).*rings/);
  assert.ok((await page.locator('.raw-spectrum .third').count()) >= 30);
  assert.equal(await page.locator('.raw-sections span').count(), 3);
  const steps = await page.evaluate(() => window.zincRack.doc.undo);
  await page.locator('.raw-moves li').first().getByRole('button').click();
  await kept(page);
  const unit = (await strip('Bass DI')).rack.units[0];
  assert.equal(unit.kind, 'surgical-eq');
  assert.equal(unit.params.bands[0].shape, 'high-pass');
  assert.ok(unit.params.bands[0].freq_hz < 41 && unit.why.startsWith('Rumble'), 'the low E stays whole, and the unit says why');
  await page
    .getByRole('button', { name: /high-pass at .*: do it/ })
    .and(page.locator(':disabled'))
    .waitFor();
  assert.equal(await page.evaluate(() => window.zincRack.doc.undo), steps + 1);
  await page.keyboard.press('Control+z');
  await page.waitForFunction((n) => window.zincRack.doc.undo === n, steps);
  assert.equal((await strip('Bass DI')).rack.units.length, 0);
  assert.deepEqual(faults, []);
  await close();
});

test('a raw part is held against what its kind usually measures, and a broad move towards that can be tried', async () => {
  const cellos = await strip('Cellos');
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/1/bench/${cellos.id}`);
  await ready(page);
  await page.locator('.raw-usual').waitFor();
  assert.match((await page.locator('.raw-usual h3').textContent()) ?? '', /usual of low strings/);
  assert.ok((await page.locator('.raw-spectrum .usual').count()) > 8, 'the range is drawn over the part');
  const first = page.locator('.raw-usual li').first();
  assert.match(
    (await first.textContent()) ?? '',
    /dB (more|less) (about|above) .* differ by \d+ dB among themselves\..*A broad (cut|lift) of/,
  );
  await first.getByRole('button').click();
  await kept(page);
  const unit = (await strip('Cellos')).rack.units[0];
  assert.equal(unit.kind, 'surgical-eq');
  assert.ok(Math.abs(unit.params.bands[0].gain_db) <= 6, 'halfway, and never much');
  await page.locator('.raw-usual li').first().getByRole('button', { name: /broad/ }).and(page.locator(':disabled')).waitFor();
  await page.keyboard.press('Control+z');
  await page.waitForFunction(() => window.zincRack.doc.undo === 0);
  assert.equal((await strip('Cellos')).rack.units.length, 0);
  assert.deepEqual(faults, []);
  await close();
});

test('the raw part is one press away from any unit, and what rings is among its moves', async () => {
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/bench/${(await strip('Acoustic', 2)).id}`);
  await ready(page);
  await page.keyboard.press('0');
  await page.locator('.raw-moves li').first().waitFor();
  const ring = page.locator('.raw-moves li', { hasText: /rings at A4/ });
  assert.equal(await ring.getByRole('button').textContent(), 'done', 'the worked session has cut it');
  await page.keyboard.press('1');
  await page.waitForSelector('.field-box');
  await page.locator('.station-in').press('Enter');
  await page.waitForSelector('.raw-spectrum');
  assert.deepEqual(faults, []);
  await close();
});

test('names of sections are shortened as a person would and in full under the pointer', async () => {
  const bar = 2.4 * 48000;
  const sections = [
    ['Intro', 0, 2],
    ['Verse', 2, 6],
    ['Lift', 6, 8],
    ['Chorus', 8, 12],
    ['Break', 12, 13],
    ['Last chorus', 13, 16],
  ].map(([name, from, to]) => ({ id: 0, name, start: Number(from) * bar, end: Number(to) * bar }));
  assert.equal((await at.change(1, { edit: 'set-sections', sections })).status, 200);
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/1/desk`);
  await page.waitForSelector('.desk-ruler text');
  const shown = await page.locator('.desk-ruler text').allTextContents();
  assert.equal(shown.length, 6);
  const short = [
    ['Intro', 'I'],
    ['Verse', 'V'],
    ['Lift', 'L'],
    ['Chorus', 'Chor.', 'C'],
    ['Break', 'B'],
    ['Last chorus', 'L. chorus', 'L. chor.', 'LC', 'L'],
  ];
  // Nothing where not even a letter has room.
  assert.ok(
    shown.every((name, i) => name === '' || short[i].includes(name)),
    shown.join(),
  );
  assert.ok(shown.filter((name) => name !== '').length >= 5, shown.join());
  await page.locator('.ruler-section').nth(5).hover();
  await page.waitForFunction(() => [...document.querySelectorAll('.desk-ruler text')].some((t) => t.textContent === 'Last chorus'));
  await page.locator('.ruler-section').nth(4).focus();
  await page.waitForFunction(() => [...document.querySelectorAll('.desk-ruler text')].some((t) => t.textContent === 'Break'));
  const byRoom = await page.evaluate(async () => {
    // @ts-ignore a module of the page
    const { shortName } = await import('/static/js/draw/short-name.js');
    return [11, 9, 8, 3, 1, 0]
      .map((room) => shortName('Last chorus', (/** @type {string} */ words) => words.length <= room))
      .concat(
        shortName('Chorus 2', (/** @type {string} */ words) => words.length <= 7),
        shortName('Chorus 2', (/** @type {string} */ words) => words.length <= 2),
      );
  });
  assert.deepEqual(byRoom, ['Last chorus', 'L. chorus', 'L. chor.', 'LC', 'L', '', 'Chor. 2', 'C2']);
  assert.deepEqual(faults, []);
  await close();
});

test('the page of prints is called that, and its old address leads there', async () => {
  const answer = await fetch(`${at.server.url}/sessions/2/deliver`);
  assert.equal(new URL(answer.url).pathname, '/sessions/2/prints');
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/prints`);
  assert.equal(await page.locator('h1').textContent(), 'Prints');
  assert.equal(await page.locator('.head-nav a[aria-current]').textContent(), 'Prints');
  assert.deepEqual(faults, []);
  await close();
});

test('while L is held the field and the bar say which region is heard', async () => {
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/bench/${(await strip('Acoustic', 2)).id}`);
  await ready(page);
  await page.waitForSelector('.field-box');
  await page.locator('[data-band="3"]').focus();
  await page.keyboard.down('l');
  await page.waitForSelector('.heard-region');
  // A Q of 32 about 452 Hz.
  assert.equal(await page.locator('.held-region').textContent(), 'only 445 Hz to 459.1 Hz is heard');
  await page.keyboard.up('l');
  await page.waitForFunction(() => !document.querySelector('.heard-region'));
  assert.equal(await page.locator('.held-region').isVisible(), false);
  await page.locator('[data-band="0"]').focus();
  await page.keyboard.down('l');
  await page.waitForFunction(() => document.querySelector('.held-region')?.textContent === 'only what lies below 74 Hz is heard');
  await page.keyboard.up('l');
  assert.deepEqual(faults, []);
  await close();
});

test('the dots of i and j stand apart from their stems at the size of the words', async () => {
  const { page, close } = await open(at.b, `${at.server.url}/sessions/1/desk`);
  await ready(page);
  const gaps = await page.evaluate(async () => {
    const { fontFamily, fontSize } = getComputedStyle(document.body);
    await document.fonts.ready;
    const canvas = document.createElement('canvas');
    const ink = /** @type {CanvasRenderingContext2D} */ (canvas.getContext('2d', { willReadFrequently: true }));
    return ['400', '500', '600'].flatMap((weight) =>
      ['i', 'j'].map((letter) => {
        ink.clearRect(0, 0, canvas.width, canvas.height);
        ink.font = `${weight} ${fontSize} ${fontFamily}`;
        ink.fillText(letter, 20, 40);
        const { data, width } = ink.getImageData(0, 0, canvas.width, 60);
        const rows = Array.from({ length: 60 }, (_, y) =>
          Math.max(...Array.from({ length: width }, (__, x) => data[4 * (y * width + x) + 3])),
        );
        const first = rows.findIndex((dark) => dark > 100);
        // Between the dot and the stem: the lightest row of the next few, against the dot.
        const between = Math.min(...rows.slice(first + 1, first + 5));
        return { what: `${letter} at ${weight}`, size: fontSize, dot: rows[first], between };
      }),
    );
  });
  for (const { what, size, dot, between } of gaps)
    assert.ok(Number.parseFloat(size) <= 15 && between < 0.35 * dot, `${what}: ${between} of ${dot}`);
  await close();
});

test('the width of a stereo part is shown by third octaves and over the song, before and after', async () => {
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/bench/${(await strip('Acoustic', 2)).id}`);
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.keyboard.press('3');
  const [sides, alike] = [page.locator('.width-sides svg'), page.locator('.width-alike svg')];
  await sides.waitFor();
  assert.ok((await sides.locator('.width-after').count()) > 20);
  assert.ok((await sides.locator('.width-before').count()) > 20);
  assert.ok((await alike.locator('path.width-line').count()) >= 1 && (await alike.locator('path.width-before').count()) >= 1);
  // Wider: where the unit widens, the bars of after end above the marks of before.
  const tops = await sides.evaluate((drawing) => {
    const after = [...drawing.querySelectorAll('.width-after')].map((bar) => Number(bar.getAttribute('y')));
    const before = [...drawing.querySelectorAll('.width-before')].map((mark) => Number(mark.getAttribute('y1')));
    return after.map((y, i) => before[i] - y);
  });
  assert.ok(tops.slice(10, 24).filter((up) => up > 0.5).length >= 10, tops.join(', '));
  assert.ok(tops[0] < 0, 'the lows are brought to the middle');
  assert.match((await page.locator('.width-said').textContent()) ?? '', /before −[\d.]+ dB · after −[\d.]+ dB/);
  assert.deepEqual(faults, []);
  await close();
});
