// Killing the server in the middle of things, and bad input of every kind.
import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import { appendFileSync, cpSync, mkdtempSync, readdirSync, renameSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { createServer, connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, binary, bringIn, freePort, run, start } from '../tools/program.js';
import { wavBytes } from '../tools/sound.js';

const at = house({ pages: false });

const document = async () => (await api(`${at.server.url}/api/sessions/2`, undefined, 'GET')).json;

// Many more kills, of a small session: `storm.test.js`.
test('SIGKILL during a storm of edits and a print loses no acknowledged edit and leaves no half file', async () => {
  for (let round = 0; round < 2; round += 1) {
    const { session } = await document();
    const [kick, bass] = session.strips;
    await api(`${at.server.url}/api/sessions/2/prints`, { strip: session.strips.at(-1).id, bits: '24' });
    let acknowledged = -100;
    let sent = 0;
    const storm = (async () => {
      for (;;) {
        const value = -20 + (sent % 200) / 10 - round * 0.01;
        sent += 1;
        try {
          const answer = await api(`${at.server.url}/api/sessions/2/edits`, {
            version: 0,
            edit: { edit: 'set-control', strip: kick.id, control: 'level_db', value },
          });
          assert.equal(answer.status, 200);
          acknowledged = value;
        } catch {
          return value;
        }
      }
    })();
    const unit = { ...bass.rack.units[0], why: `round ${round}` };
    await api(`${at.server.url}/api/sessions/2/edits`, { version: 0, edit: { edit: 'set-unit', strip: bass.id, unit } });
    // Each round is killed after so many more of them, in the middle of the next.
    while (sent < 4 + 3 * round) await new Promise((resolve) => setTimeout(resolve, 5));
    await new Promise((resolve) => setTimeout(resolve, 250 + 150 * round));
    await at.server.kill('SIGKILL');
    const inFlight = await storm;
    const checked = run('check', '--data', at.data, '--json');
    assert.equal(checked.status, 0, checked.stdout + checked.stderr);
    const report = JSON.parse(checked.stdout);
    assert.deepEqual([report.missing, report.damaged, report.orphaned, report.database_faults], [[], [], [], []]);
    at.server = await start({ data: at.data });
    const now = (await document()).session;
    const level = now.strips[0].controls.level_db;
    assert.ok(level === acknowledged || level === inFlight, `${level}, acknowledged ${acknowledged}, in flight ${inFlight}`);
    assert.equal(now.strips[1].rack.units[0].why, `round ${round}`);
    for (const file of readdirSync(join(at.data, 'prints'))) assert.match(file, /^[0-9a-f]{64}\.(f32|json|sum)$/);
    assert.equal(readdirSync(join(at.data, 'temporary')).length, 0, 'cleared at the start');
  }
});

test('an edit whose answer a kill swallowed is sent again after the restart: nothing is doubled, nothing lost', async () => {
  for (let round = 0; round < 3; round += 1) {
    const { session, version } = await document();
    const strip = session.strips[3 + round];
    const had = strip.rack.units.length;
    const asked = (/** @type {number} */ n) => ({
      version,
      window: 'storm',
      ident: `storm-${round}-${n}`,
      edit: { edit: 'add-unit', strip: strip.id, at: had + n, unit: { kind: 'width', why: `added ${n}` } },
    });
    const add = (/** @type {number} */ n) => api(`${at.server.url}/api/sessions/2/edits`, asked(n));
    let sent = 0;
    const storm = (async () => {
      for (; sent < 40; sent += 1) {
        try {
          assert.equal((await add(sent)).status, 200);
        } catch {
          return;
        }
      }
    })();
    await new Promise((resolve) => setTimeout(resolve, 30 + 17 * round));
    await at.server.kill('SIGKILL');
    await storm;
    assert.ok(sent < 40, 'the kill came in between');
    at.server = await start({ data: at.data });
    // The one without an answer is sent twice, as after two lost answers; so is the one before.
    for (const n of [Math.max(0, sent - 1), sent, sent]) assert.equal((await add(n)).status, 200);
    const { units } = (await document()).session.strips[3 + round].rack;
    const wanted = Array.from({ length: sent + 1 }, (_, n) => `added ${n}`);
    assert.deepEqual(
      units.slice(had).map((/** @type {any} */ u) => u.why),
      wanted,
    );
  }
});

test('undo and redo survive a restart', async () => {
  const before = (await document()).session.strips[2].controls.level_db;
  const id = (await document()).session.strips[2].id;
  await api(`${at.server.url}/api/sessions/2/edits`, {
    version: 0,
    edit: { edit: 'set-control', strip: id, control: 'level_db', value: -33 },
  });
  await at.server.kill('SIGKILL');
  at.server = await start({ data: at.data });
  assert.equal((await api(`${at.server.url}/api/sessions/2/undo`, { version: 0 })).status, 200);
  assert.equal((await document()).session.strips[2].controls.level_db, before);
  await at.server.kill('SIGKILL');
  at.server = await start({ data: at.data });
  await api(`${at.server.url}/api/sessions/2/redo`, { version: 0 });
  assert.equal((await document()).session.strips[2].controls.level_db, -33);
});

test('the second of two windows is told what the first did, in order, and its own change is kept', async () => {
  const { version, session } = await document();
  const [a, b] = session.strips;
  const edit = (/** @type {string} */ window, /** @type {number} */ strip, /** @type {number} */ value) =>
    api(`${at.server.url}/api/sessions/2/edits`, {
      version,
      window,
      ident: `${window}-1`,
      edit: { edit: 'set-control', strip, control: 'pan', value },
    });
  const told = (/** @type {any} */ { json }) => json.changes.map((/** @type {any} */ c) => [c.own, c.edit.value]);
  assert.deepEqual(told(await edit('first', a.id, 0.1)), [[true, 0.1]]);
  const second = await edit('second', b.id, 0.2);
  assert.deepEqual(told(second), [
    [false, 0.1],
    [true, 0.2],
  ]);
  assert.equal(second.json.version, version + 2);
  assert.equal(second.json.session, null, 'who knows the session follows the edits');
  const now = (await document()).session.strips;
  assert.deepEqual([now[0].controls.pan, now[1].controls.pan], [0.1, 0.2]);
});

test('refused edits say why and change nothing', async () => {
  const { session } = await document();
  const id = session.strips[0].id;
  const cases = [
    [{ edit: 'set-control', strip: id, control: 'level_db', value: 99 }, /level_db is 99; it must be -90 to 12/],
    [{ edit: 'set-control', strip: 9999, control: 'level_db', value: 0 }, /there is no strip 9999/],
    [
      { edit: 'add-unit', strip: id, at: 0, unit: { kind: 'flanger' } },
      /unknown kind "flanger"; known kinds: surgical-eq, drawn-eq, console-eq, .*compressor/,
    ],
    [{ edit: 'add-unit', strip: id, at: 0, unit: { kind: 'compressor', params: { ratio: 0 } } }, /ratio is 0; it must be 1 to inf/],
  ];
  for (const [edit, pattern] of cases) {
    const answer = await api(`${at.server.url}/api/sessions/2/edits`, { version: 0, edit });
    assert.equal(answer.status, 422);
    assert.match(answer.json.error, /** @type {RegExp} */ (pattern));
    assert.match(answer.json.error, /Everything is as it was/);
  }
  assert.deepEqual((await document()).session, session);
});

/** A raw request, for headers a client would not send. @param {string} text @returns {Promise<string>} */
function raw(text) {
  return new Promise((resolve, reject) => {
    const socket = connect(at.server.port, '127.0.0.1', () => socket.write(text));
    let answer = '';
    socket.on('data', (d) => {
      answer += d;
    });
    socket.on('end', () => resolve(answer));
    socket.on('error', reject);
  });
}

test('foreign hosts and origins are refused, file names never reach the file system, bodies have limits', async () => {
  assert.match(await raw('GET / HTTP/1.1\r\nHost: elsewhere.example\r\nConnection: close\r\n\r\n'), /^HTTP\/1.1 403/);
  assert.match(
    await raw(`GET / HTTP/1.1\r\nHost: 127.0.0.1:${at.server.port}\r\nOrigin: http://elsewhere.example\r\nConnection: close\r\n\r\n`),
    /^HTTP\/1.1 403/,
  );
  assert.match(await raw(`GET / HTTP/1.1\r\nHost: 127.0.0.1:${at.server.port}\r\nConnection: close\r\n\r\n`), /^HTTP\/1.1 200/);
  for (const path of [
    '/api/audio/..%2f..%2fzinc.sqlite',
    '/api/prints/%2e%2e%2fzinc',
    '/static/../Cargo.toml',
    `/api/printed/${'../'.repeat(5)}etc?name=x`,
  ]) {
    assert.match(
      await raw(`GET ${path} HTTP/1.1\r\nHost: localhost:${at.server.port}\r\nConnection: close\r\n\r\n`),
      /^HTTP\/1.1 40[04]/,
      path,
    );
  }
  const answer = await bringIn(at.server.url, 1, '../../../evil\u0000name.wav', wavBytes(48000, [new Float32Array(4800).fill(0.1)]));
  assert.match(answer.sentence, /mono/);
  for (const file of readdirSync(join(at.data, 'audio'))) assert.match(file, /^[0-9a-f]{64}\.f32$/);
  const large = await fetch(`${at.server.url}/api/sessions/2/edits`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: `{"version":0,"edit":${' '.repeat(2 << 20)}`,
  });
  assert.ok([400, 413, 422].includes(large.status), `${large.status}`);
});

test('a missing and a damaged stem are named by the page and by check', async () => {
  const { session } = await document();
  const [kick, snare] = session.strips;
  const file = (/** @type {any} */ strip) => join(at.data, 'audio', `${strip.audio.hash}.f32`);
  // A rack of its own, so that no print of it is in the cache.
  for (const strip of [kick, snare]) {
    await api(`${at.server.url}/api/sessions/2/edits`, {
      version: 0,
      edit: { edit: 'replace-rack', strip: strip.id, rack: { zinc_rack: 1, units: [{ kind: 'compressor', params: { attack_ms: 77 } }] } },
    });
  }
  renameSync(file(kick), `${file(kick)}.away`);
  const { json } = await api(`${at.server.url}/api/sessions/2/streams`, { strip: 0 });
  assert.match(json.error, /The audio of "Kick" is missing or damaged.*Everything else is as it was/);
  appendFileSync(file(snare), 'x');
  const checked = run('check', '--data', at.data);
  assert.equal(checked.status, 3);
  assert.match(checked.stdout, /missing: Kick/);
  assert.match(checked.stdout, /damaged: Snare/);
  renameSync(`${file(kick)}.away`, file(kick));
  truncateSync(file(snare), session.frames ?? snare.audio.frames * snare.audio.channels * 4);
  assert.equal(run('check', '--data', at.data).status, 0);
});

test('check looks at prints as well, and mends what can be mended when nobody works in the folder', async () => {
  await api(`${at.server.url}/api/sessions/2/streams`, { strip: 0 });
  const prints = join(at.data, 'prints');
  const printed = () => readdirSync(prints).filter((name) => name.endsWith('.f32'));
  while (printed().length === 0) await new Promise((resolve) => setTimeout(resolve, 50));
  const refused = run('check', '--data', at.data, '--mend');
  assert.match(refused.stderr, /another zinc-rack works in it/);
  await at.server.kill();
  const [first] = printed();
  appendFileSync(join(prints, first), 'xxxx');
  const orphan = join(at.data, 'audio', `${'ab'.repeat(32)}.f32`);
  writeFileSync(orphan, 'nobody speaks of it');
  const looked = JSON.parse(run('check', '--data', at.data, '--json').stdout);
  assert.deepEqual([looked.damaged_prints, looked.orphaned], [[first.slice(0, -4)], ['ab'.repeat(32)]]);
  const mended = JSON.parse(run('check', '--data', at.data, '--json', '--mend').stdout);
  assert.deepEqual([mended.damaged_prints, mended.orphaned, mended.removed.length], [[], [], 2]);
  assert.ok(!printed().includes(first));
  assert.match(run('check', '--data', at.data).stdout, /Everything is whole/);
  at.server = await start({ data: at.data });
});

test('a folder that may only be read is listed, checked and printed from, and who would serve it is told so', () => {
  const folder = join(at.folder.path, 'only-read');
  cpSync(at.data, folder, { recursive: true });
  // As root everything may be written: the program is run as nobody, from where nobody may run it.
  const own = join(at.folder.path, 'zinc-rack');
  cpSync(binary, own);
  spawnSync('chmod', ['-R', 'a-w,a+rX', folder]);
  spawnSync('chmod', ['755', at.folder.path, own]);
  const out = mkdtempSync(join(tmpdir(), 'zinc-nobody-'));
  spawnSync('chmod', ['777', out]);
  const asNobody = process.getuid?.() === 0 ? ['setpriv', '--reuid=65534', '--regid=65534', '--clear-groups', own] : [own];
  const run = (/** @type {string[]} */ ...args) => {
    const { status, stdout, stderr } = spawnSync(asNobody[0], [...asNobody.slice(1), ...args, '--data', folder], { encoding: 'utf8' });
    return { status, stdout, stderr };
  };
  const listed = run('sessions', '--json');
  assert.equal(listed.status, 0, listed.stderr);
  assert.equal(JSON.parse(listed.stdout).length, 2);
  const checked = run('check', '--json');
  assert.equal(checked.status, 0, checked.stderr + checked.stdout);
  const printed = run('print', '2', join(out, 'kick.wav'), '--what', 'track:Kick');
  assert.equal(printed.status, 0, printed.stderr);
  assert.ok(statSync(join(out, 'kick.wav')).size > 100_000);
  const served = run('serve', '--port', '0');
  assert.equal(served.status, 1);
  assert.match(served.stderr, /it is read-only; `check`, `sessions`, `graph` and `print` work with it as it is/);
  spawnSync('chmod', ['-R', 'u+w', folder]);
  for (const gone of [folder, out]) rmSync(gone, { recursive: true });
});

test('the command line refuses bad input with a sentence, an exit code, and nothing written', async () => {
  const inside = (/** @type {string} */ name) => join(at.folder.path, name);
  writeFileSync(inside('in.wav'), wavBytes(48000, [new Float32Array(48000).map((_, i) => 0.3 * Math.sin(i / 20))]));
  writeFileSync(inside('words.json'), 'these are words');
  writeFileSync(inside('kind.json'), '{"zinc_rack":1,"units":[{"kind":"flanger"}]}');
  writeFileSync(inside('range.json'), '{"zinc_rack":1,"units":[{"kind":"surgical-eq","params":{"bands":[{"freq_hz":5}]}}]}');
  writeFileSync(
    inside('good.json'),
    '{"zinc_rack":1,"units":[{"kind":"surgical-eq","params":{"bands":[{"shape":"high-pass","freq_hz":200,"slope_db_oct":24}]}}]}',
  );
  const process = (/** @type {string} */ input, /** @type {string} */ rack) =>
    run('process', inside(input), inside('out.wav'), '--rack', inside(rack));
  const cases = [
    [process('in.wav', 'words.json'), /is not JSON/],
    [process('in.wav', 'kind.json'), /unknown kind "flanger"/],
    [process('in.wav', 'range.json'), /bands\[0\]\.freq_hz is 5; it must be 10 to 20000/],
    [process('in.wav', 'gone.json'), /cannot be read/],
    [process('gone.wav', 'good.json'), /cannot be read/],
    [process('words.json', 'good.json'), /is not audio this program can read/],
    [run('check', '--data', inside('nowhere')), /There is no Zinc Rack data/],
  ];
  for (const [result, pattern] of cases) {
    assert.notEqual(result.status, 0);
    assert.match(result.stderr, /** @type {RegExp} */ (pattern));
  }
  assert.ok(!readdirSync(at.folder.path).some((f) => f.startsWith('out.wav')));
  assert.equal(process('in.wav', 'good.json').status, 0);
  const report = JSON.parse(run('measure', inside('out.wav'), '--against', inside('in.wav'), '--json').stdout);
  for (const key of [
    'lufs_integrated',
    'true_peak_dbtp',
    'sample_peak_dbfs',
    'rms_dbfs',
    'crest_db',
    'difference_rms_dbfs',
    'difference_peak_dbfs',
  ])
    assert.equal(typeof report[key], 'number', key);
  const probed = JSON.parse(run('probe', '--rack', inside('good.json'), '--rate', '44100', '--json').stdout);
  assert.deepEqual(Object.keys(probed).sort(), [
    'effective_attack_90_ms',
    'effective_attack_ms',
    'effective_release_90_ms',
    'effective_release_ms',
    'even_odd_db',
    'harmonics',
    'imd_db',
    'latency_samples',
    'level_db',
    'missing_sounds',
    'rate',
    'response',
    'static_curve',
    'step',
    'step_response',
    'thd_percent',
    'tone_hz',
  ]);
});

test('a port in use and a data folder that cannot be used are said plainly', async () => {
  const port = await freePort();
  const taken = createServer().listen(port, '127.0.0.1');
  await new Promise((resolve) => taken.once('listening', resolve));
  const result = run('serve', '--port', String(port), '--data', join(at.folder.path, 'never'));
  assert.equal(result.status, 1);
  assert.match(result.stderr, /Port \d+ .* cannot be used .* Nothing was started or changed; choose another with --port/);
  assert.ok(!readdirSync(at.folder.path).includes('never'));
  await new Promise((resolve) => taken.close(resolve));
  const blocked = join(at.folder.path, 'blocked');
  writeFileSync(blocked, 'a file where a folder should be');
  const refused = run('serve', '--port', String(port), '--data', blocked);
  assert.equal(refused.status, 1);
  assert.match(refused.stderr, /data folder .* cannot be used .* choose another with --data/);
  rmSync(blocked);
});
