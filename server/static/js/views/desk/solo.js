// @ts-check
/** Strips that are heard alone: kept for this window, not in the session. */
import { host } from '../listen-bar.js';
import { doc } from '../session-frame.js';
import { stripOf } from './rows.js';

export class Solo {
  /** @param {(soloed: Set<number>) => void} onChange */
  constructor(onChange) {
    this.onChange = onChange;
    /** @type {number[]} */
    const kept = JSON.parse(sessionStorage.getItem(`solo-${doc.id}`) ?? '[]');
    /** @type {Set<number>} */
    this.strips = new Set(kept.filter(stripOf));
  }

  /** @param {number} id */
  toggle(id) {
    if (!this.strips.delete(id)) this.strips.add(id);
    this.keep();
  }

  /** @param {number[]} ids */
  choose(ids) {
    this.strips.clear();
    ids.forEach((id) => this.strips.add(id));
    this.keep();
  }

  /** Forgets those that are gone. */
  tidy() {
    for (const id of this.strips) if (!stripOf(id)) this.strips.delete(id);
    this.show();
  }

  keep() {
    sessionStorage.setItem(`solo-${doc.id}`, JSON.stringify([...this.strips]));
    this.show();
  }

  show() {
    const names = [...this.strips].flatMap((id) => stripOf(id)?.name ?? []).join(', ');
    const place = document.getElementById('soloed');
    if (place) place.textContent = names ? `heard alone: ${names}` : '';
    host.send({ do: 'hear', strips: [...this.strips] });
    this.onChange(this.strips);
  }
}
