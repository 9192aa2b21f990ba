// @ts-check
/**
 * Making room: the tracks most in each other's way, which of two matters more, and what a
 * pair of bands or a keyed dip would bring, measured before it is kept.
 */
import { html } from '../../draw/svg.js';
import { longWork } from '../../session/work.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** @typedef {{ first: number, second: number, share: number, hz: number, note: string, heard: [number, number] }} Collision */

const percent = (/** @type {number} */ share) => `${Math.round(100 * share)} %`;
const decibels = (/** @type {number} */ db) => `${db < 0 ? '−' : ''}${Math.abs(db).toFixed(1)}`;

/** @typedef {(name: string, units: { strip: number, unit: number }[]) => void} Made told what was added, and a name for it */

/** Opens the dialog. @param {Made} onMade */
export function openMakeRoom(onMade) {
  const list = html('div', { className: 'room-list' }, html('p', { className: 'quiet' }, 'Comparing the tracks…'));
  const plan = html('div', { className: 'room-plan' });
  const close = html('button', { type: 'button', className: 'plain-button' }, 'close');
  const dialog = html(
    'dialog',
    { className: 'sheet-dialog wide', 'aria-label': 'Make room' },
    html('h2', {}, 'Make room'),
    html(
      'p',
      { className: 'quiet' },
      'Tracks that sound at the same moments in the same place, by how much is lost at the ear at the ' +
        'levels there are. Choose two; say which matters.',
    ),
    list,
    plan,
    html('div', { className: 'name-buttons' }, close),
  );
  close.addEventListener('click', () => dialog.close());
  dialog.addEventListener('close', () => dialog.remove());
  document.body.append(dialog);
  dialog.showModal();
  const take = (/** @type {Collision} */ one, /** @type {Collision[]} */ all) =>
    plan.replaceChildren(
      new Plan(one, all, (name, units) => {
        onMade(name, units);
        dialog.close();
      }).element,
    );
  const show = (/** @type {Collision[]} */ all) => {
    if (!all.length) list.replaceChildren(html('p', {}, 'The tracks leave each other alone.'));
    else list.replaceChildren(...all.map((one) => line(one, () => take(one, all))));
    list.after(anyTwo((first, second) => take({ first, second, share: 0, hz: 0, note: '', heard: [0, 1] }, all)));
  };
  longWork(`/api/sessions/${doc.id}/collisions`, {}, (label) => list.replaceChildren(html('p', { className: 'quiet' }, label))).then(
    (found) => show(found ?? []),
    (error) => note(error.message),
  );
}

/** Any two tracks, where one knows better than the list. @param {(first: number, second: number) => void} choose */
function anyTwo(choose) {
  const tracks = doc.session.strips.filter((s) => s.role === 'track');
  const list = (/** @type {string} */ label) =>
    html(
      'select',
      { className: 'key-choice', 'aria-label': label },
      new Option('–', ''),
      ...tracks.map((s) => new Option(s.name, String(s.id))),
    );
  const [first, second] = [list('The one that matters'), list('The one that gives way')];
  const look = () => {
    if (first.value && second.value && first.value !== second.value) choose(Number(first.value), Number(second.value));
  };
  first.addEventListener('change', look);
  second.addEventListener('change', look);
  return html('p', { className: 'room-any' }, 'or room for ', first, ' beside ', second);
}

/** Share of the one that loses more that is not heard beside the other. @param {Collision} one */
const lost = (one) => 1 - Math.min(...one.heard);

/** @param {Collision} one @param {() => void} choose */
function line(one, choose) {
  const button = html(
    'button',
    { type: 'button', className: 'room-line' },
    html('b', {}, `${doc.find(one.first).name} · ${doc.find(one.second).name}`),
    html('span', { className: 'room-bar', 'aria-hidden': 'true' }, html('span', { style: `width: ${Math.round(100 * lost(one))}%` })),
    html('span', { className: 'figure', title: 'of the one that loses more, not heard beside the other' }, percent(lost(one))),
    html('span', { className: 'figure' }, `${one.note}, ${Math.round(one.hz)} Hz`),
  );
  button.addEventListener('click', () => {
    for (const other of button.parentElement.children) other.toggleAttribute('data-chosen', other === button);
    choose();
  });
  return button;
}

/** What is to be done about two tracks. */
class Plan {
  /** @param {Collision} one @param {Collision[]} all @param {Made} onMade */
  constructor(one, all, onMade) {
    this.pair = [one.first, one.second];
    this.all = all;
    this.onMade = onMade;
    this.greater = one.heard[0] <= one.heard[1] ? one.first : one.second;
    this.way = 'pair';
    /** Others that give way to the same one. @type {Set<number>} */
    this.more = new Set();
    this.element = html('div', { className: 'room-inside' });
    this.draw();
    void this.measure();
  }

  get lesser() {
    return [this.pair.find((id) => id !== this.greater), ...this.more].filter((id) => id !== undefined);
  }

  draw() {
    const choice = (
      /** @type {string} */ label,
      /** @type {[string, string][]} */ options,
      /** @type {string} */ chosen,
      /** @type {(id: string) => void} */ take,
    ) =>
      html(
        'p',
        { className: 'room-choice' },
        html('span', { className: 'quiet' }, label),
        html(
          'span',
          { className: 'tabs', role: 'group', 'aria-label': label },
          ...options.map(([id, words]) => {
            const b = html('button', { type: 'button', 'aria-pressed': String(id === chosen) }, words);
            b.addEventListener('click', () => {
              take(id);
              this.draw();
              void this.measure();
            });
            return b;
          }),
        ),
      );
    const sharers = this.all
      .filter((c) => c.first === this.greater || c.second === this.greater)
      .map((c) => (c.first === this.greater ? c.second : c.first))
      .filter((id) => !this.pair.includes(id));
    const more = sharers.map((id) => {
      const box = html('input', { type: 'checkbox', checked: this.more.has(id) });
      box.addEventListener('change', () => {
        if (box.checked) this.more.add(id);
        else this.more.delete(id);
        void this.measure();
      });
      return html('label', {}, box, ` ${doc.find(id).name}`);
    });
    this.result = html('p', { className: 'room-result', role: 'status' });
    this.element.replaceChildren(
      choice(
        'matters more',
        this.pair.map((id) => [String(id), doc.find(id).name]),
        String(this.greater),
        (id) => {
          this.greater = Number(id);
          this.more.clear();
        },
      ),
      choice(
        'room is made',
        [
          ['pair', 'by a pair of bands'],
          ['keyed', 'only while it plays'],
        ],
        this.way,
        (id) => {
          this.way = id;
        },
      ),
      ...(more.length ? [html('p', { className: 'room-choice' }, html('span', { className: 'quiet' }, 'share the hole'), ...more)] : []),
      this.result,
    );
  }

  async measure() {
    const wanted = { greater: this.greater, lesser: this.lesser, way: this.way };
    this.wanted = wanted;
    this.result.textContent = 'measuring what it brings…';
    try {
      const found = await longWork(`/api/sessions/${doc.id}/room`, wanted, () => {});
      if (found && this.wanted === wanted) this.say(found);
    } catch (error) {
      this.result.textContent = error instanceof Error ? error.message : String(error);
    }
  }

  /**
   * @param {{
   *   hz: number, edit: import('../../types.js').Edit,
   *   gains: { strip: number, before: number, after: number, over_before_db: number, over_after_db: number }[],
   * }} found
   */
  say(found) {
    const name = doc.find(this.greater).name;
    const words = found.gains
      .map(
        (g) =>
          `${name} masked by ${doc.find(g.strip).name} at ${Math.round(found.hz)} Hz: ${percent(1 - g.before)} → ${percent(1 - g.after)} ` +
          `(there ${decibels(g.over_before_db)} → ${decibels(g.over_after_db)} dB over it).`,
      )
      .join(' ');
    const keep = html('button', { type: 'button', className: 'strong-button' }, 'make it');
    keep.addEventListener('click', async () => {
      const done = await doc.edit(found.edit);
      if (!done) return;
      const edits = done.edit === 'several' ? done.edits : [done];
      const units = edits.flatMap((e) => (e.edit === 'add-unit' ? [{ strip: e.strip, unit: e.unit.id ?? 0 }] : []));
      this.onMade(`room for ${name}`, units);
    });
    this.result.replaceChildren(`${words} `, keep);
  }
}
