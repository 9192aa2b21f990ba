// @ts-check
/**
 * What stands out of its usual level: looked for anywhere or in a region that is named or drawn, held by bands in one
 * press, or held four ways that are measured side by side.
 */
import { html, level } from '../../draw/svg.js';
import { longWork } from '../../session/work.js';
import { host } from '../listen-bar.js';
import { doc } from '../session-frame.js';

/** Regions engineers name, in Hz. @type {[string, number, number][]} */
const NAMED = [
  ['lows', 40, 120],
  ['low mids', 120, 500],
  ['mids', 500, 2000],
  ['presence', 2000, 6000],
  ['highs', 6000, 16000],
];
const ANYWHERE = 'anywhere';
const DRAWN = 'between';
/** Ways to hold an event. @type {Record<string, string>} */
const WAYS = {
  multiband: 'bands',
  'moving-band': 'moving band of an EQ',
  compressor: 'plain compressor, driven by it',
  'static-cut': 'static cut',
};

/**
 * @typedef {object} Held
 * @property {string} way
 * @property {import('../../types.js').Unit} unit
 * @property {number} down_db
 * @property {number} beside_db
 * @property {number} elsewhere_db
 */
/** @typedef {{ at_s: number, from_hz: number, to_hz: number, over_db: number, bands: import('../../types.js').Params[] }} Event */

const button = (/** @type {string} */ words, /** @type {string} */ title) =>
  html('button', { type: 'button', className: 'plain-button', title }, words);
const edge = (/** @type {string} */ name) =>
  html('input', { type: 'number', className: 'form-control region-edge', step: '1', 'aria-label': `${name} edge of the region in Hz` });

export class StandOuts {
  /**
   * @param {number} rate of the session in Hz
   * @param {{
   *   bands: (bands: import('../../types.js').Params[]) => void, unit: (unit: import('../../types.js').Unit) => void, region: () => void,
   * }} does takes bands, another unit; the region has changed
   */
  constructor(rate, does) {
    this.rate = rate;
    this.does = does;
    /** Ends what is being looked for; a later press does so too. */
    this.stop = () => {};
    this.where = html(
      'select',
      { className: 'key-choice', 'aria-label': 'Region to look in' },
      new Option(ANYWHERE),
      ...NAMED.map(([name, from, to]) => new Option(`${name}, ${from} to ${to} Hz`, name)),
      new Option('a region: drag it over the picture', DRAWN),
    );
    this.edges = [edge('lower'), edge('upper')];
    this.between = html('span', { className: 'region-edges', hidden: true }, this.edges[0], ' to ', this.edges[1], ' Hz');
    const look = button('find what stands out', 'Moments at which a region stands far above its usual level');
    look.addEventListener('click', () => void this.find());
    const mark = button('hold what is heard here', 'Stop where it is heard, or press while it plays: the region that rises most there');
    mark.addEventListener('click', () => void this.mark());
    this.where.addEventListener('change', () => this.chosen());
    for (const one of this.edges) one.addEventListener('change', () => this.does.region());
    this.offers = html('span', { className: 'bands-offers' });
    this.ways = html('div', { className: 'bands-ways' });
    this.said = html('span', { className: 'quiet', role: 'status' });
    this.stopButton = button('stop', 'Stops looking; nothing is changed');
    this.stopButton.hidden = true;
    this.stopButton.addEventListener('click', () => this.stop());
    this.element = html(
      'div',
      { className: 'bands-events' },
      look,
      html('label', {}, 'in ', this.where),
      this.between,
      mark,
      this.said,
      this.stopButton,
      this.offers,
      this.ways,
    );
  }

  chosen() {
    const named = NAMED.find(([name]) => name === this.where.value);
    if (named)
      this.edges.forEach((input, i) => {
        input.value = String(named[i + 1]);
      });
    this.between.hidden = this.where.value !== DRAWN;
    this.does.region();
  }

  /** The region that is looked in, in Hz; null for anywhere, and as long as an edge is missing. @returns {[number, number] | null} */
  region() {
    if (this.where.value === ANYWHERE || this.edges.some((input) => input.value === '')) return null;
    return [Number(this.edges[0].value), Number(this.edges[1].value)];
  }

  /** Takes a region that was drawn. @param {number} from @param {number} to in Hz */
  draw(from, to) {
    this.where.value = DRAWN;
    this.between.hidden = false;
    this.edges.forEach((input, i) => {
      input.value = String(Math.round([from, to][i]));
    });
    this.does.region();
  }

  /**
   * Long work that says how far it is and can be stopped; what was asked before is given up.
   * @param {string} path @param {unknown} body @param {string} doing
   * @returns {Promise<any>} null when stopped or overtaken
   */
  async work(path, body, doing) {
    this.stop();
    let cancelWork = () => {};
    let stopped = false;
    this.stop = () => {
      stopped = true;
      cancelWork();
      this.ended('stopped; nothing was changed');
    };
    this.stopButton.hidden = false;
    this.said.textContent = `${doing}…`;
    try {
      const found = await longWork(`/api/sessions/${doc.id}/strips/${doc.strip}/${path}`, body, (label, share, cancel) => {
        cancelWork = cancel;
        if (stopped) cancel();
        else this.said.textContent = `${label}: ${Math.round(100 * share)} %`;
      });
      if (stopped) return null;
      this.ended('');
      return found;
    } catch (error) {
      if (!stopped) this.ended(error instanceof Error ? error.message : String(error));
      return null;
    }
  }

  /** Nothing is looked for any more. @param {string} said */
  ended(said) {
    this.stop = () => {};
    this.stopButton.hidden = true;
    this.said.textContent = said;
  }

  /** What is asked about the region. */
  asRegion() {
    const region = this.region();
    return region ? { from_hz: region[0], to_hz: region[1] } : {};
  }

  async find() {
    if (this.where.value !== ANYWHERE && !this.region()) {
      this.said.textContent = 'Drag over the picture, or type both edges.';
      return;
    }
    const region = this.asRegion();
    const found = /** @type {Event[] | null} */ (await this.work('events', region, 'looking'));
    if (!found) return;
    this.offers.replaceChildren(...found.map((event) => this.offer(event, region)));
    if (!found.length)
      this.said.textContent =
        'from_hz' in region
          ? 'Nothing in this region rises further than the rest of the sound does.'
          : 'Nothing stands out of its usual level here.';
  }

  /** What is heard where the song stands, as an event to hold. */
  async mark() {
    const event = await this.work('marked', { at_s: host.position / this.rate }, 'hearing what rises there');
    if (event) this.offers.prepend(this.offer(event, {}));
  }

  /** @param {Event} event @param {{ from_hz?: number, to_hz?: number }} region where it was looked for */
  offer(event, region) {
    const over = 'from_hz' in region ? 'dB more than the rest' : 'dB over';
    const hold = button(
      `hold ${event.at_s.toFixed(1)} s, ${Math.round(event.from_hz)} to ${Math.round(event.to_hz)} Hz, ${event.over_db.toFixed(0)} ${over}`,
      'Bands that work on it, and only there and then',
    );
    hold.addEventListener('click', () => this.does.bands(event.bands));
    const ways = button('four ways', 'Bands, a moving band of an EQ, a plain compressor, a static cut: the same aim, measured');
    ways.setAttribute('aria-label', `four ways to hold what is at ${event.at_s.toFixed(1)} s`);
    ways.addEventListener('click', () => void this.compare(event.at_s, region));
    return html('span', { className: 'bands-event' }, hold, ways);
  }

  /**
   * Four units with one aim, each measured; one is taken.
   * @param {number} at seconds
   * @param {{ from_hz?: number, to_hz?: number }} region
   */
  async compare(at, region) {
    this.ways.replaceChildren();
    const found = await this.work('ways', { at_s: at, ...region }, 'holding it four ways');
    if (!found) return;
    const rows = found.map((/** @type {Held} */ { way, unit, down_db: down, beside_db: beside, elsewhere_db: elsewhere }) => {
      const take = html('button', { type: 'button', className: 'plain-button', 'aria-label': `take the ${WAYS[way]}` }, 'take');
      take.addEventListener('click', () => (way === 'multiband' ? this.does.bands(unit.params.bands) : this.does.unit(unit)));
      return html(
        'tr',
        {},
        html('th', { scope: 'row' }, WAYS[way]),
        ...[down, beside, elsewhere].map((db) => html('td', {}, level(db))),
        html('td', {}, take),
      );
    });
    const heads = ['', 'it falls by', 'other bands meanwhile', 'rest of the song, dB', ''].map((word) =>
      html('th', { scope: 'col' }, word),
    );
    this.ways.replaceChildren(html('table', {}, html('thead', {}, html('tr', {}, ...heads)), html('tbody', {}, ...rows)));
  }

  end() {
    this.stop();
  }
}
