// @ts-check
/** What is where on each page, and what a hand can do there: read by the `?` sheet. */

/** @typedef {[string, string]} Line a name, and what it is or does */

const LISTEN = /** @type {Line[]} */ ([
  [
    'Listen bar',
    'At the bottom: play, sections to loop, which side you hear, what you compare with, the monitor, level and peaks of the output.',
  ],
  ['edits apply to', 'Whole song, or one section: with a section chosen, a control you move changes there only.'],
]);

/** Regions of each page, by its name in the address. @type {Record<string, Line[]>} */
export const REGIONS = {
  sessions: [
    ['Sessions', 'Each row is a song: open it, or remove it.'],
    ['Removed sessions', 'They can be put back for 30 days, with all their undo steps, or removed for good.'],
    ['On disk', 'What recordings, prints and printed files take, with a button that deletes what nothing uses.'],
    ['New session', 'Drop audio files: each becomes a track. Takes of the same part can be put side by side.'],
  ],
  desk: [
    [
      'Rows',
      'One strip each, grouped under the bus it feeds: name, sound, its units in signal order, sends, pan, level, solo, mute, peak.',
    ],
    ['Name', 'Opens the strip on the Bench.'],
    ['Sends column', 'Opens the sheet of the strip: what it feeds, sends, delay, polarity, files, findings.'],
    ['Ruler', 'Sections and bars. Drag over it to make a section; click one to rename or remove it.'],
    ['Tools', 'Tracks, buses and returns, sections, signal path, make room, sets of units, tempo.'],
    ...LISTEN,
  ],
  bench: [
    [
      'Wire',
      'The rack in signal order. On the wire: loudness above, crest below. Under a unit: its change of loudness. ' +
        'While it plays: gain reduction (GR) and level of each unit, loudness at both ends.',
    ],
    ['Unit', 'The unit you work on: its picture and its controls, in the order of signal flow.'],
    ['Evidence', 'What the unit and the whole rack changed, measured over the whole part. Grey: being measured anew.'],
    ['Candidates', 'Whole racks you keep to compare, also blind.'],
    ['Trials', 'Button in a unit: one control over a list of values, heard and measured side by side.'],
    ...LISTEN,
  ],
  measure: [
    ['Form', 'What is measured, against what, with which tone and level.'],
    ['Plots', 'Response, harmonics, level out for level in, and how it follows a step.'],
    ['Test signals', 'Hear a hit, a tone, a sweep or noise through it, or bypassed.'],
  ],
  prints: [
    ['What', 'The mix or one strip. A track is printed after its rack and before its fader.'],
    ['Printed now', 'Prints of this visit, each with a download.'],
  ],
};

/** What a hand can do, on every page that has it. @type {Line[]} */
export const GESTURES = [
  ['Drag on a control', 'Moves the value on from where it is.'],
  ['Alt and drag', 'A tenth as far.'],
  ['Wheel with Alt, or on the focused control', 'Turns it without scrolling.'],
  ['Double-click a control', 'Its default.'],
  ['Type into the figure', 'Exact values: -3 dB, 2k, A4, 1/16, 4:1.'],
  ['Arrow keys on a control', 'One step; with Shift ten.'],
  ['Double-click in an EQ', 'A new band there: a bell, or a cut or shelf far out.'],
  ['Drag a peg of an EQ', 'Frequency and gain; the wheel sets Q.'],
  ['Hold L', 'Hear only the region of the selected band.'],
  ['Shift and click a section', 'Extends the loop.'],
  ['Drag a unit on the wire', 'Moves it. Shift with arrows does the same.'],
  ['Drag a unit on the Desk', 'Moves it to the end of another strip; with Alt a copy.'],
  ['Drag over a lane', 'Draws automation by hand, on the chosen grid. A click sets one point; Shift and drag marks a stretch.'],
];
