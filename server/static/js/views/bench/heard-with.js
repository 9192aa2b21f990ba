// @ts-check
/** What a strip is heard with on its Bench: the mix, some others, nothing. */
import { choose } from '../choose.js';
import { host, mark, prepareSoon, view } from '../listen-bar.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** Minutes of listening alone after which it is said that decisions belong in the mix. */
const ALONE_MINUTES = 5;
let context = 'mix';
let aloneSince = 0;

/** @param {string} to */
export function setContext(to) {
  context = to;
  mark('context', to);
  host.send({ do: 'hear', strips: to === 'mix' ? [] : to === 'with' ? [doc.strip, ...view.with] : [doc.strip] });
  aloneSince = to === 'alone' ? performance.now() : 0;
}

/** Alone, or with those chosen, and back into the mix. */
export function stepContext() {
  setContext(context === 'mix' ? (view.with.length ? 'with' : 'alone') : 'mix');
}

/** Asks which strips are heard with this one, and remembers them. */
function chooseWith() {
  const others = doc.session.strips.filter((s) => s.role === 'track' && s.id !== doc.strip);
  const rows = others.map((s) => ({ id: s.id, mark: s.family, name: s.name }));
  choose('Heard with this one', rows, view.with, (chosen) => {
    view.with = chosen;
    void doc.edit({ edit: 'note', note: { entry: 'partners', strip: doc.strip, with: chosen } });
    prepareSoon();
    setContext('with');
  });
}

for (const tab of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll('[data-context]'))) {
  tab.addEventListener('click', () => {
    if (tab.dataset.context === 'with') chooseWith();
    else setContext(tab.dataset.context ?? 'mix');
  });
}

host.addEventListener('report', (event) => {
  const { playing } = /** @type {CustomEvent<import('../../engine/host.js').Report>} */ (event).detail;
  if (!aloneSince || !playing || performance.now() - aloneSince < ALONE_MINUTES * 60_000) return;
  aloneSince = performance.now();
  note('You have listened alone for five minutes. What is right here is decided in the mix: A goes there.');
});

const known = doc.session.notebook.partners[doc.strip] ?? [];
view.with = known.filter((id) => id !== doc.strip && doc.session.strips.some((s) => s.id === id));
