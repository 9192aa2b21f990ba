// @ts-check
/** What settings do together, in figures, with what could be done about it. */
import { html } from '../../draw/svg.js';
import { longWork } from '../../session/api.js';
import { doc } from '../session-frame.js';

export class Advice {
  constructor() {
    /** @type {{ stations: number[], says: string, mend: [string, any] | null }[]} */
    this.pairs = [];
    this.asked = 0;
    this.element = html('section', { className: 'advice', role: 'status' });
    this.element.hidden = true;
  }

  /** Measures anew. */
  async look() {
    this.asked += 1;
    const mine = this.asked;
    const found = await longWork(`/api/sessions/${doc.id}/strips/${doc.strip}/pairs`, {}, () => {}).catch(() => null);
    if (mine !== this.asked) return;
    this.pairs = found ?? [];
    this.draw();
  }

  draw() {
    this.element.hidden = this.pairs.length === 0;
    this.element.replaceChildren(html('h2', {}, 'What works together'), ...this.pairs.map((pair) => {
      const line = html('p', {}, pair.says);
      if (pair.mend) {
        const [words, edit] = pair.mend;
        const act = html('button', { type: 'button', className: 'plain-button' }, words);
        act.addEventListener('click', () => void doc.edit(edit));
        line.append(' ', act);
      }
      return line;
    }));
  }
}
