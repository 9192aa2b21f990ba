// @ts-check
/** Desk: levels, pans, mutes and solos of all strips, their treatment at a glance. */
import { doc } from './session-frame.js';
import { catalogue } from '../engine/ask.js';
import { compareOn, matchSoon, offer } from './compare.js';
import { host, prepare, prepareSoon } from './listen-bar.js';
import { note } from './notes.js';
import { dropAnywhere } from './desk/add-tracks.js';
import { Findings } from './desk/findings.js';
import { firstSteps } from './desk/first-steps.js';
import { openMakeRoom } from './desk/make-room.js';
import { orderOfWork } from './desk/order-of-work.js';
import { otherSides } from './desk/other-sides.js';
import { Overviews, frames } from './desk/overviews.js';
import { redrawOf } from './desk/redraw.js';
import { Rows } from './desk/rows.js';
import { ruler } from './desk/ruler.js';
import { takeServedRows } from './desk/served-rows.js';
import { openSections } from './desk/sections-sheet.js';
import { sessionTools } from './desk/session-tools.js';
import { openSignalPath } from './desk/signal-path.js';
import { Solo } from './desk/solo.js';
import { closeIfGone, hearBy, openSheet, refreshSheet } from './desk/strip-sheet.js';
import { tempoTools } from './desk/tempo-tools.js';
import { changesOf, openUnitSets } from './desk/unit-sets.js';
import './over-time/changes-sheet.js';
import { scopeEvents } from './scope.js';
import { shortcuts } from './shortcuts.js';

/** @param {string} id */
const placeOf = (id) => /** @type {HTMLElement} */ (document.getElementById(id));

/** The page of all strips. */
class Desk {
  constructor() {
    this.element = /** @type {HTMLElement} */ (document.querySelector('.desk'));
    this.findings = new Findings();
    this.overviews = new Overviews();
    this.rows = new Rows(this.element, { solo: (id) => this.solo.toggle(id), open: (id) => openSheet(id, this.findings.of(id)) });
    this.solo = new Solo((soloed) => this.rows.showSolo(soloed));
    /** Number of sends the open sheet shows, by strip: moving one's level draws nothing anew. @type {Map<number, number>} */
    this.sendsShown = new Map(doc.session.strips.map((s) => [s.id, s.sends.length]));
    this.drawing = 0;
    this.main = doc.session.strips.find((s) => s.role === 'main')?.id;
  }

  async begin() {
    // Before anything is drawn: the server works while the page does.
    const prepared = doc.session.strips.some((s) => s.role === 'track') ? prepare() : null;
    this.follow();
    this.offerSides();
    if (this.main) compareOn(this.main, () => null);
    this.rows.take();
    this.takeTools();
    firstSteps();
    if (!prepared) return;
    await prepared;
    this.solo.show();
    await this.overviews.show();
    await this.findings.show(this.rows.all);
  }

  follow() {
    doc.addEventListener('change', (event) => this.change(/** @type {CustomEvent} */ (event).detail.facts));
    doc.addEventListener('newer', () => void this.drawAnew());
    scopeEvents.addEventListener('scope', () => this.rows.ids.forEach((id) => this.rows.showFaders(id)));
    host.addEventListener('report', (event) => this.rows.follow(/** @type {CustomEvent} */ (event).detail, this.main));
    hearBy((strips) => this.solo.choose(strips));
  }

  takeTools() {
    const tools = placeOf('desk-tools');
    dropAnywhere(placeOf('work'));
    sessionTools(tools, {
      path: () => void openSignalPath(),
      sections: () => openSections(frames),
      sets: () => openUnitSets(() => this.offerSides()),
      room: () => openMakeRoom((name, units) => this.roomMade(name, units)),
    });
    tempoTools(tools);
    orderOfWork(tools);
    ruler(placeOf('ruler'), frames);
  }

  offerSides() {
    offer(otherSides(doc.session, catalogue.kinds, () => this.solo.strips, changesOf));
  }

  /**
   * What made room can be taken away again on the other side, as one set.
   * @param {string} name
   * @param {{ strip: number, unit: number }[]} units
   */
  roomMade(name, units) {
    const others = doc.session.notebook.unit_sets.filter((set) => set.name !== name);
    void doc.edit({ edit: 'note', note: { entry: 'unit-sets', sets: [...others, { name, units }] } });
    this.offerSides();
    note(`Room was made. U hears the mix with and without it ("${name}").`);
  }

  /** @param {import('../session/document.js').Facts} facts */
  change(facts) {
    if (facts.about === 'notebook') return;
    matchSoon();
    const areThere = facts.strips.every((id) => this.rows.of(id));
    const redraw = redrawOf(facts, areThere);
    if (redraw.rows) facts.strips.forEach((id) => this.show(id, facts.about));
    if (redraw.waves) this.overviews.draw();
    if (redraw.all) void this.drawAnew();
    if (redraw.prepare) prepareSoon();
  }

  /** Shows what is other of a strip. @param {number} id @param {import('../session/document.js').Facts['about']} about */
  show(id, about) {
    if (about === 'sends') {
      this.showSends(id);
      return;
    }
    if (about === 'units' || about === 'rack') this.rows.showWire(id);
    if (about !== 'words') this.rows.showFaders(id);
    this.refreshSheet(id);
  }

  /** Moving a send's level draws nothing of the sheet anew. @param {number} id */
  showSends(id) {
    this.rows.showSends(id);
    this.rows.showOverTime(id);
    const count = doc.find(id).sends.length;
    if (count !== this.sendsShown.get(id)) this.refreshSheet(id);
    this.sendsShown.set(id, count);
  }

  /** @param {number} id */
  refreshSheet(id) {
    refreshSheet(id, this.findings.of(id));
  }

  /** Draws the rows anew once every change is kept: the server knows how they are grouped. What plays, plays on. */
  async drawAnew() {
    this.drawing += 1;
    const mine = this.drawing;
    await doc.idle();
    if (mine !== this.drawing) return;
    try {
      await takeServedRows(this.element, () => this.rows.take());
      this.solo.tidy();
      this.offerSides();
      closeIfGone();
      this.rows.ids.forEach((id) => this.refreshSheet(id));
      this.overviews.draw();
      prepareSoon();
      await this.overviews.show();
      await this.findings.show(this.rows.all);
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
  }
}

shortcuts({ keys: 'S', does: 'sections of the song', run: () => openSections(frames) });
void new Desk().begin();
