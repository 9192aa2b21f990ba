// Two windows on one session, a lost answer, undo between windows: nothing is lost, nothing doubled.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, bringIn, patient } from '../tools/program.js';
import { RATE, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });

/** A session with one track and a compressor and an equaliser on it. */
async function session() {
  const id = await at.session('windows');
  const sound = Float32Array.from({ length: 2 * RATE }, (_, i) => 0.2 * Math.sin((2 * Math.PI * 200 * i) / RATE));
  const { strip } = await bringIn(at.server.url, id, 'tone.wav', wavBytes(RATE, [sound]));
  const units = [{ kind: 'compressor' }, { kind: 'surgical-eq', params: { bands: [{ freq_hz: 200 }, { freq_hz: 4000 }] } }];
  const made = await at.change(id, { edit: 'replace-rack', strip, rack: { zinc_rack: 1, units } });
  assert.equal(made.status, 200, JSON.stringify(made.json));
  return { id, strip };
}

/**
 * Windows of one browser on one Bench.
 * @param {number} id @param {number} strip @param {number} count
 */
async function windows(id, strip, count) {
  const context = await patient(at.b, { viewport: { width: 1280, height: 800 }, bypassCSP: true });
  const pages = [];
  for (let n = 0; n < count; n += 1) {
    const page = await context.newPage();
    await page.goto(`${at.server.url}/sessions/${id}/bench/${strip}`);
    await page.waitForFunction(() => window.zincRack);
    await page.waitForSelector('body[data-measured]');
    pages.push(page);
  }
  return { pages, context };
}

/** @param {import('playwright-core').Page} page */
const kept = (page) =>
  page.waitForFunction(() => !window.zincRack.doc.isKeeping && document.getElementById('kept')?.textContent === 'every change kept');
/** @param {import('playwright-core').Page} page */
const rackOf = (page) => page.evaluate(() => window.zincRack.doc.find(window.zincRack.doc.strip).rack.units);
/** @param {import('playwright-core').Page} page */
const notes = (page) => page.evaluate(() => [...(document.getElementById('notes')?.children ?? [])].map((n) => n.textContent));

test('two windows dragging two parameters of one unit for ten seconds end equal, with nothing reverted and no false conflict', async () => {
  const { id, strip } = await session();
  const {
    pages: [a, b],
    context,
  } = await windows(id, strip, 2);
  // What a drag does: a run of values of one gesture, thirty a second.
  const drag = (/** @type {import('playwright-core').Page} */ page, /** @type {string} */ param, /** @type {number} */ from) =>
    page.evaluate(async ([name, first]) => {
      const { doc } = window.zincRack;
      const unit = doc.find(doc.strip).rack.units[0].id;
      let value = Number(first);
      let reverted = 0;
      const until = performance.now() + 10_000;
      while (performance.now() < until) {
        if (doc.unit(doc.strip, unit).params[name] !== value && value !== Number(first)) reverted += 1;
        value = Math.round((value + 0.25) * 100) / 100;
        if (value > Number(first) + 20) value = Number(first) + 0.25;
        void doc.edit({ edit: 'set-param', strip: doc.strip, unit, param: name, value }, 'drag');
        await new Promise((resolve) => setTimeout(resolve, 33));
      }
      return { value, reverted };
    }, /** @type {const} */ ([param, from]));
  const [threshold, attack] = await Promise.all([drag(a, 'threshold_db', -50), drag(b, 'attack_ms', 5)]);
  assert.deepEqual([threshold.reverted, attack.reverted], [0, 0], 'what a hand holds never jumps back');
  await Promise.all([kept(a), kept(b)]);
  await Promise.all(
    [a, b].map((page) =>
      page.waitForFunction(
        ([t, r]) => {
          const { params } = window.zincRack.doc.find(window.zincRack.doc.strip).rack.units[0];
          return params.threshold_db === t && params.attack_ms === r;
        },
        [threshold.value, attack.value],
      ),
    ),
  );
  const store = (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units;
  assert.deepEqual([await rackOf(a), await rackOf(b)], [store, store]);
  assert.deepEqual([await notes(a), await notes(b)], [[], []], 'each moved its own');
  await context.close();
});

test('of one parameter moved in two windows at once the later stands, and both windows say so', async () => {
  const { id, strip } = await session();
  const {
    pages: [a, b],
    context,
  } = await windows(id, strip, 2);
  // Neither hears of the other before both have acted.
  await Promise.all(
    [a, b].map((page) =>
      page.evaluate(() => {
        window.zincRack.doc.look = () => {};
      }),
    ),
  );
  const set = (/** @type {import('playwright-core').Page} */ page, /** @type {number} */ value) =>
    page.evaluate((v) => {
      const { doc } = window.zincRack;
      return doc.edit({ edit: 'set-param', strip: doc.strip, unit: doc.find(doc.strip).rack.units[0].id, param: 'makeup_db', value: v });
    }, value);
  await set(a, 3);
  await set(b, 5);
  assert.match((await notes(b)).join(' '), /make-up of the Compressor on .* was set in another window too.*yours stands/);
  // The next thing that a does shows it what it has missed.
  await a.evaluate(() => window.zincRack.doc.edit({ edit: 'set-note', strip: window.zincRack.doc.strip, note: 'x' }));
  assert.match((await notes(a)).join(' '), /was set in another window too, after you had: the other value stands/);
  assert.equal((await rackOf(a))[0].params.makeup_db, 5);
  await context.close();
});

test('a window that does nothing follows what another does, and what is typed there is not lost', async () => {
  const { id, strip } = await session();
  const {
    pages: [a, b],
    context,
  } = await windows(id, strip, 2);
  await b.locator('[data-station="1"]').click();
  const box = b.locator('[aria-label="band 2 gain"]');
  await box.click();
  await box.pressSequentially('-4');
  await a.evaluate(() => {
    const { doc } = window.zincRack;
    return doc.edit({
      edit: 'set-param',
      strip: doc.strip,
      unit: doc.find(doc.strip).rack.units[1].id,
      param: 'bands[0].gain_db',
      value: 6,
    });
  });
  await b.waitForFunction(() => window.zincRack.doc.find(window.zincRack.doc.strip).rack.units[1].params.bands[0].gain_db === 6);
  // Also the figures of that change have come.
  await b.waitForTimeout(2500);
  assert.equal(await box.inputValue(), '-4', 'still being typed');
  await box.press('Enter');
  await kept(b);
  const bands = (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units[1].params.bands;
  assert.deepEqual(
    bands.map((/** @type {any} */ band) => band.gain_db),
    [6, -4],
  );
  await b.waitForFunction(() => /** @type {any} */ (document.querySelector('[aria-label="band 1 gain"]'))?.value.includes('6'));
  await context.close();
});

test('a menu of units that stands open stays open while another window changes the rack, and one of them is added', async () => {
  const { id, strip } = await session();
  const {
    pages: [a, b],
    context,
  } = await windows(id, strip, 2);
  await a.bringToFront();
  await a.click('.add-unit summary');
  const gate = a.locator('.add-unit [data-add="gate"]');
  await gate.waitFor();
  await b.evaluate(() => window.zincRack.doc.edit({ edit: 'add-unit', strip: window.zincRack.doc.strip, at: 0, unit: { kind: 'width' } }));
  await a.waitForFunction(() => document.querySelector('.station[data-station="2"]'));
  assert.equal(await a.textContent('.unit-head h2'), 'Compressor', 'what was in hand is in hand');
  await gate.click();
  await kept(a);
  assert.deepEqual(
    (await rackOf(a)).map((/** @type {any} */ u) => u.kind),
    ['width', 'compressor', 'gate', 'surgical-eq'],
    'behind the one that was in hand',
  );
  await context.close();
});

test('a press whose answer is lost adds one unit and not two', async () => {
  const { id, strip } = await session();
  const {
    pages: [page],
    context,
  } = await windows(id, strip, 1);
  let lost = 0;
  let isLosing = true;
  await page.route('**/edits', async (route) => {
    if (isLosing) {
      lost += 1;
      await route.fetch();
      await route.abort();
    } else await route.continue();
  });
  await page.locator('.add-unit summary').click();
  await page.locator('[data-add="width"]').click();
  await page.waitForFunction(() => document.getElementById('kept')?.textContent?.includes('not reached'));
  isLosing = false;
  await kept(page);
  assert.ok(lost > 2, `${lost} answers were lost`);
  assert.deepEqual(
    (await rackOf(page)).map((u) => u.kind),
    ['compressor', 'width', 'surgical-eq'],
  );
  const store = (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units;
  assert.equal(store.length, 3);
  await context.close();
});

test('a fault of the server passes: the change is sent again, kept once, and nobody is told', async () => {
  const { id, strip } = await session();
  const {
    pages: [page],
    context,
  } = await windows(id, strip, 1);
  const statuses = [500, 503, 429];
  await page.route('**/edits', async (route) => {
    const status = statuses.shift();
    if (!status) return route.continue();
    // The first is kept for all that.
    if (status === 500) await route.fetch();
    return route.fulfill({ status, json: { error: 'The database is busy.' } });
  });
  await page.evaluate(() => {
    const { doc } = window.zincRack;
    void doc.edit({ edit: 'add-unit', strip: doc.strip, at: 0, unit: { kind: 'width' } });
    void doc.edit({ edit: 'set-control', strip: doc.strip, control: 'level_db', value: -7 });
  });
  await kept(page);
  assert.deepEqual(statuses, []);
  assert.deepEqual(await notes(page), []);
  assert.deepEqual(
    (await rackOf(page)).map((u) => u.kind),
    ['width', 'compressor', 'surgical-eq'],
  );
  assert.equal((await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip).controls.level_db, -7);
  await context.close();
});

test('a refused change is taken back, said, and the queue goes on', async () => {
  const { id, strip } = await session();
  const {
    pages: [page],
    context,
  } = await windows(id, strip, 1);
  await page.evaluate(() => {
    const { doc } = window.zincRack;
    const unit = doc.find(doc.strip).rack.units[0].id;
    void doc.edit({ edit: 'set-param', strip: doc.strip, unit, param: 'makeup_db', value: 99 });
    void doc.edit({ edit: 'set-param', strip: doc.strip, unit, param: 'knee_db', value: 12 });
  });
  await kept(page);
  assert.match((await notes(page)).join(' '), /makeup_db is 99; it must be -30 to 30/);
  const [compressor] = await rackOf(page);
  assert.deepEqual([compressor.params.makeup_db, compressor.params.knee_db], [0, 12], 'the refused one is gone, the other kept');
  await context.close();
});

test("two quick undos are two, wait their turn, and take back another window's step only when asked again", async () => {
  const { id, strip } = await session();
  const {
    pages: [a, b],
    context,
  } = await windows(id, strip, 2);
  const set = (/** @type {import('playwright-core').Page} */ page, /** @type {string} */ param, /** @type {number} */ value) =>
    page.evaluate(([name, v]) => {
      const { doc } = window.zincRack;
      void doc.edit({ edit: 'set-param', strip: doc.strip, unit: doc.find(doc.strip).rack.units[0].id, param: name, value: v });
    }, /** @type {const} */ ([param, value]));
  await set(a, 'makeup_db', 2);
  await set(a, 'knee_db', 9);
  await a.keyboard.press('Control+z');
  await a.keyboard.press('Control+z');
  await kept(a);
  assert.deepEqual([(await rackOf(a))[0].params.makeup_db, (await rackOf(a))[0].params.knee_db], [0, 6]);
  await set(b, 'makeup_db', 4);
  await kept(b);
  await a.waitForFunction(() => window.zincRack.doc.find(window.zincRack.doc.strip).rack.units[0].params.makeup_db === 4);
  await a.keyboard.press('Control+z');
  await a.waitForFunction(() => document.getElementById('notes')?.textContent?.includes('another window'));
  assert.equal((await rackOf(a))[0].params.makeup_db, 4, 'not in silence');
  await a.keyboard.press('Control+z');
  await a.waitForFunction(() => window.zincRack.doc.find(window.zincRack.doc.strip).rack.units[0].params.makeup_db === 0);
  await context.close();
});

test('why, note and link of a unit follow undo', async () => {
  const { id, strip } = await session();
  const {
    pages: [page],
    context,
  } = await windows(id, strip, 1);
  const why = page.locator('.unit-why');
  await why.fill('holds the bass');
  await why.blur();
  await page.locator('#note').fill('boomy');
  await page.locator('#note').blur();
  await kept(page);
  await page.evaluate(() => {
    void window.zincRack.doc.step('undo');
    void window.zincRack.doc.step('undo');
  });
  await kept(page);
  assert.deepEqual([await why.inputValue(), await page.locator('#note').inputValue()], ['', '']);
  await page.evaluate(() => {
    void window.zincRack.doc.step('redo');
  });
  await kept(page);
  assert.equal(await why.inputValue(), 'holds the bass');
  await context.close();
});

test('a window closed in the middle of a drag keeps what was acknowledged', async () => {
  const { id, strip } = await session();
  const {
    pages: [page],
    context,
  } = await windows(id, strip, 1);
  await page.evaluate(() => {
    const { doc } = window.zincRack;
    const unit = doc.find(doc.strip).rack.units[0].id;
    window.acknowledged = [];
    let value = -50;
    setInterval(() => {
      value += 0.5;
      void doc.edit({ edit: 'set-param', strip: doc.strip, unit, param: 'threshold_db', value }, 'drag').then((edit) => {
        if (edit) window.acknowledged.push(edit.value);
      });
    }, 20);
  });
  await page.waitForTimeout(700);
  const acknowledged = await page.evaluate(() => Math.max(...window.acknowledged));
  await page.close();
  const kept = (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units[0].params.threshold_db;
  assert.ok(kept >= acknowledged - 0.5, `${kept} kept, ${acknowledged} acknowledged`);
  await context.close();
});

test('a candidate kept in one window is seen in another, and one kept there leaves it where it is', async () => {
  const { id, strip } = await session();
  const {
    pages: [a, b],
    context,
  } = await windows(id, strip, 2);
  const keepIn = (/** @type {import('playwright-core').Page} */ page, /** @type {string} */ letter) =>
    page.locator(`.candidates [aria-label^="Candidate ${letter}: keep"]`).click();
  const shownIn = (/** @type {import('playwright-core').Page} */ page) =>
    page
      .locator('.candidates [aria-label*=": hear"]')
      .evaluateAll((all) => all.map((one) => one.getAttribute('aria-label')?.slice(10, 11)));
  await keepIn(a, 'A');
  await kept(a);
  await b.waitForFunction(() => document.querySelector('.candidates [aria-label^="Candidate A: hear"]'));
  await keepIn(b, 'B');
  await kept(b);
  await a.waitForFunction(() => document.querySelector('.candidates [aria-label^="Candidate B: hear"]'));
  assert.deepEqual(
    [await shownIn(a), await shownIn(b)],
    [
      ['A', 'B'],
      ['A', 'B'],
    ],
  );
  const slots = (await at.document(id)).session.notebook.candidates[strip];
  assert.deepEqual(
    slots.map((/** @type {any} */ slot) => slot !== null),
    [true, true, false],
  );
  await context.close();
});

test('sections made and renamed in two windows at once are all there', async () => {
  const { id } = await session();
  const add = (/** @type {string} */ window, /** @type {string} */ name, /** @type {number} */ start, /** @type {number} */ version) =>
    api(`${at.server.url}/api/sessions/${id}/edits`, {
      version,
      window,
      ident: `${window}-${name}`,
      edit: { edit: 'add-section', section: { id: 0, name, start, end: start + 1000 } },
    });
  const { version } = await at.document(id);
  await Promise.all([add('a', 'Verse', 1000, version), add('b', 'Intro', 0, version)]);
  const {
    session: { sections },
  } = await at.document(id);
  assert.deepEqual(
    sections.map((/** @type {any} */ s) => s.name),
    ['Intro', 'Verse'],
  );
  assert.equal(new Set(sections.map((/** @type {any} */ s) => s.id)).size, 2);
});

test('a page loaded anew is the same window, a copy of it is another', async () => {
  const { id, strip } = await session();
  const {
    pages: [page],
    context,
  } = await windows(id, strip, 1);
  const name = (/** @type {import('playwright-core').Page} */ p) => p.evaluate(() => window.zincRack.doc.window);
  await page.evaluate(() => window.zincRack.doc.edit({ edit: 'set-note', strip: window.zincRack.doc.strip, note: 'mine' }));
  const first = await name(page);
  await page.reload();
  await page.waitForFunction(() => window.zincRack);
  assert.equal(await name(page), first);
  // Undo of a step made before the reload is this window's own.
  await page.keyboard.press('Control+z');
  await kept(page);
  assert.equal(await page.locator('#note').inputValue(), '');
  const [copy] = await Promise.all([
    context.waitForEvent('page'),
    page.evaluate(() => {
      window.open(window.location.href);
    }),
  ]);
  await copy.waitForFunction(() => window.zincRack);
  assert.notEqual(await name(copy), first);
  await context.close();
});

test('what one window removes while another turns it is said in both, and either brings it back as it was turned', async () => {
  for (const [label, who] of [
    ['Removed in another window', 0],
    ['Removed here', 1],
  ]) {
    const { id, strip } = await session();
    const { pages, context } = await windows(id, strip, 2);
    const [a, b] = pages;
    // B hears of what A does only once its own answer comes.
    await b.evaluate(() => {
      window.zincRack.doc.look = () => {};
    });
    const turned = await a.evaluate(async () => {
      const { doc } = window.zincRack;
      const { id: unit } = doc.find(doc.strip).rack.units[0];
      await doc.edit({ edit: 'set-param', strip: doc.strip, unit, param: 'ratio', value: 7 });
      return unit;
    });
    await b.evaluate(async (unit) => {
      const { doc } = window.zincRack;
      await doc.edit({ edit: 'remove-unit', strip: doc.strip, unit });
    }, turned);
    for (const [page, sentence] of /** @type {const} */ ([
      [a, 'Removed in another window after you had changed it: the Compressor on tone.'],
      [b, 'Removed here, though another window had just changed it: the Compressor on tone.'],
    ])) {
      await page.locator('.note', { hasText: sentence }).waitFor();
      assert.equal((await rackOf(page)).length, 1);
    }
    await pages[Number(who)]
      .locator('.note', { hasText: String(label) })
      .getByRole('button', { name: 'bring it back' })
      .click();
    await b.evaluate(() => window.zincRack.doc.enqueue({ look: true }));
    for (const page of pages) {
      await page.waitForFunction(() => window.zincRack.doc.find(window.zincRack.doc.strip).rack.units.length === 2);
      const [unit] = await rackOf(page);
      assert.deepEqual([unit.id, unit.params.ratio], [turned, 7]);
    }
    await context.close();
  }
});
