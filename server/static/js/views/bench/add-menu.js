// @ts-check
/** The menu of units that can be added: in groups, found by a word or by a first letter. */
import { catalogue, kindOf } from '../../engine/ask.js';
import { html } from '../../draw/svg.js';

export class AddMenu {
  /** @param {(kind: string) => void} add */
  constructor(add) {
    this.add = add;
    this.search = html('input', {
      type: 'search',
      className: 'add-search',
      placeholder: 'find a unit',
      'aria-label': 'Find a unit by name or by what it is for',
      autocomplete: 'off',
      spellcheck: false,
    });
    this.none = html('p', { className: 'quiet', hidden: true }, 'No unit matches.');
    this.groups = catalogue.groups.map(({ name, kinds }) =>
      html(
        'div',
        { className: 'add-group', role: 'group', 'aria-label': name },
        html('p', { className: 'add-name', 'aria-hidden': 'true' }, name),
        ...kinds.map((id) => this.button(id)),
      ),
    );
    this.box = html('div', {}, this.search, this.none, html('div', { className: 'add-groups' }, ...this.groups));
    this.element = html(
      'details',
      { className: 'add-unit' },
      html('summary', { className: 'plain-button', title: 'Add a unit after the selected one (+)' }, '+ unit'),
      this.box,
    );
    this.isBegun = false;
    this.element.addEventListener('toggle', () => {
      if (this.element.open) this.begin();
      else this.isBegun = false;
    });
    this.element.addEventListener('keydown', (/** @type {KeyboardEvent} */ event) => this.key(event));
    this.search.addEventListener('input', () => this.find(this.search.value));
  }

  /** @param {string} id */
  button(id) {
    const { name, about } = kindOf(id);
    const button = html('button', { type: 'button', data: { add: id } }, name, html('small', {}, about));
    button.addEventListener('click', () => this.choose(id));
    return button;
  }

  /** Unfolds it with the search in hand: what is typed from now on is looked for. */
  open() {
    this.element.open = true;
    this.begin();
  }

  begin() {
    if (this.isBegun) return;
    this.isBegun = true;
    this.search.value = '';
    this.find('');
    const { left, bottom } = this.element.getBoundingClientRect();
    const room = 8;
    this.box.style.left = `${Math.max(room, Math.min(left, innerWidth - this.box.offsetWidth - room))}px`;
    this.box.style.top = `${bottom + 2}px`;
    this.box.style.maxHeight = `${innerHeight - bottom - room}px`;
    this.search.focus();
  }

  close() {
    this.element.open = false;
    // Opened again before the event has come, it begins anew all the same.
    this.isBegun = false;
    /** @type {HTMLElement} */ (this.element.firstElementChild).focus();
  }

  /** @param {string} id */
  choose(id) {
    this.close();
    this.add(id);
  }

  /** The buttons that are shown, in order. @returns {HTMLButtonElement[]} */
  get shown() {
    return [...this.box.querySelectorAll('button')].filter((button) => !button.hidden);
  }

  /** Shows what has all of these words in its name, its group or what it is for. @param {string} text */
  find(text) {
    const words = text.toLowerCase().split(/\s+/).filter(Boolean);
    for (const group of this.groups) {
      const buttons = [...group.querySelectorAll('button')];
      for (const button of buttons) {
        const own = `${group.getAttribute('aria-label')} ${button.textContent}`.toLowerCase();
        button.hidden = !words.every((word) => own.includes(word));
      }
      group.hidden = buttons.every((button) => button.hidden);
    }
    this.none.hidden = this.shown.length > 0;
  }

  /** The first of what is shown, a name that begins with what was typed before one that only has it. */
  get first() {
    const typed = this.search.value.trim().toLowerCase();
    const begins = (/** @type {HTMLElement} */ button) => typed !== '' && (button.textContent ?? '').toLowerCase().startsWith(typed);
    return this.shown.find(begins) ?? this.shown[0];
  }

  /** @param {KeyboardEvent} event */
  key(event) {
    if (!this.element.open || event.ctrlKey || event.metaKey || event.altKey) return;
    const { shown } = this;
    const at = shown.indexOf(/** @type {HTMLButtonElement} */ (document.activeElement));
    const isSearching = document.activeElement === this.search;
    if (event.key === 'Escape') this.close();
    else if (event.key === 'ArrowDown') (shown[at + 1] ?? shown[0])?.focus();
    else if (event.key === 'ArrowUp') (at > 0 ? shown[at - 1] : this.search).focus();
    else if (event.key === 'Enter' && isSearching) this.first?.click();
    else if (event.key.length === 1 && event.key !== ' ' && at >= 0) this.toLetter(event.key, at);
    else {
      // What is typed is typed, and no key of the page.
      event.stopPropagation();
      return;
    }
    event.preventDefault();
    event.stopPropagation();
  }

  /** The next whose name begins with a letter. @param {string} letter @param {number} at */
  toLetter(letter, at) {
    const { shown } = this;
    const ring = [...shown.slice(at + 1), ...shown.slice(0, at + 1)];
    ring.find((button) => button.textContent?.toLowerCase().startsWith(letter.toLowerCase()))?.focus();
  }
}
