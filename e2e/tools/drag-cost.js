// What a drag holds up: three seconds of it on the rules of some units while the demo plays, tasks of the page over 16 and
// over 50 ms, and frames a second: run by `./zinc bench`.
import { api, boxOf, browser, open, ready, scratch, start } from './program.js';

const SESSION = 2;
const DRAG_MS = 3000;

const folder = scratch();
const server = await start({ data: folder.path });
const b = await browser();
try {
  const { session } = (await api(`${server.url}/api/sessions/${SESSION}`, undefined, 'GET')).json;
  for (const [name, kind, control] of /** @type {[string, string, string]} */ ([
    ['Bass DI', 'amp', 'Amp: drive'],
    ['Bass DI', 'cabinet', 'Cabinet: first microphone, distance'],
    ['Bass DI', 'compressor', 'Compressor: threshold'],
  ])) {
    const strip = session.strips.find((/** @type {{ name: string }} */ s) => s.name === name);
    const station = strip.rack.units.findIndex((/** @type {{ kind: string }} */ u) => u.kind === kind) + 1;
    const { page, close } = await open(b, `${server.url}/sessions/${SESSION}/bench/${strip.id}?station=${station}`);
    await ready(page);
    await page.waitForSelector('body[data-measured]', { state: 'attached' });
    await page.keyboard.press('Space');
    const box = await boxOf(page.getByRole('slider', { name: control }).first());
    await page.evaluate(() => {
      const seen = { long: 0, over16: 0, most: 0, frames: 0 };
      Object.assign(window, { seen });
      let last = performance.now();
      const frame = (/** @type {number} */ now) => {
        seen.frames += 1;
        if (now - last > 33) seen.over16 += 1;
        last = now;
        requestAnimationFrame(frame);
      };
      requestAnimationFrame(frame);
      new PerformanceObserver((list) => {
        for (const { duration } of list.getEntries()) {
          seen.long += 1;
          seen.most = Math.max(seen.most, duration);
        }
      }).observe({ entryTypes: ['longtask'] });
    });
    const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
    await page.mouse.move(x, y);
    await page.mouse.down();
    const begun = Date.now();
    for (let n = 0; Date.now() - begun < DRAG_MS; n += 1) {
      await page.mouse.move(x + 30 * Math.sin(n / 12), y);
      await page.waitForTimeout(8);
    }
    await page.mouse.up();
    const { long, over16, most, frames } = await page.evaluate(() => window.seen);
    const perSecond = (1000 * frames) / (Date.now() - begun);
    console.log(
      `${control}: ${long} tasks over 50 ms (${most.toFixed(0)} at most), ${over16} pictures late, ${perSecond.toFixed(0)} a second`,
    );
    await close();
  }
} finally {
  await b.close();
  await server.kill();
  folder.remove();
}
