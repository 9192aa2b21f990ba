// Written by ./zinc types from the core's own types.
export type Param = { 
/**
 * Name in rack files and in the store, with its unit where it has one.
 */
id: string, 
/**
 * Word on the page.
 */
label: string, 
/**
 * One line: what to listen for.
 */
hint: string, 
/**
 * The values it can take.
 */
domain: Domain, 
/**
 * How a running unit goes from one value to another.
 */
change: ParamChange, 
/**
 * Word for the values it belongs together with (attack and release are "timing"); empty
 * for one that stands alone.
 */
group: string, 
/**
 * Words for the left and the right end of its rule, where figures alone say too little.
 */
ends: [string, string] | null, 
/**
 * Whether it is for finishing rather than for beginning: the page unfolds it.
 */
further: boolean, };
export type ParamChange = "glides" | "glides-by-hand" | "steps" | "renews";
export type Rows = { 
/**
 * Name in rack files.
 */
id: string, 
/**
 * Word for one row.
 */
label: string, 
/**
 * Table of one row.
 */
params: Array<Param>, 
/**
 * Most rows.
 */
max: number, };
export type Domain = { "type": "number", 
/**
 * Smallest value.
 */
min: number, 
/**
 * Largest value; may be infinite for a ratio (sent as null).
 */
max: number | null, 
/**
 * Value of a fresh unit, and of a double-click.
 */
default: number, 
/**
 * One press of an arrow key, as a share of the rule's length for
 * curved tapers and in the parameter's own unit for linear ones.
 */
step: number, 
/**
 * How the value runs along its rule.
 */
taper: Taper, 
/**
 * What the number measures.
 */
quantity: Quantity, } | { "type": "choice", 
/**
 * The options in order.
 */
options: Array<Choice>, 
/**
 * Index of the default.
 */
default: number, } | { "type": "switch", 
/**
 * State of a fresh unit.
 */
default: boolean, } | { "type": "sound", 
/**
 * Longest sound in seconds.
 */
max_seconds: number, };
export type Choice = { 
/**
 * Name in rack files.
 */
id: string, 
/**
 * Word on the page.
 */
label: string, };
export type Taper = "linear" | "log" | "cubic" | "ratio";
export type Quantity = "hertz" | "decibels" | "milliseconds" | "ratio" | "q" | "percent" | "centimetres" | "degrees" | "pan";
export type Kind = { id: string, name: string, about: string, picture: string, params: Array<Param>, lists: Array<Rows>, reduces: boolean, 
/**
 * Whether it has a steady output level for a steady input level.
 */
transfers: boolean, takes_key: boolean, };
export type Written = null | boolean | number | number | string;
export type WrittenField = Written | { [key in string]: Written };
export type Then = "straight" | "held" | "free";
export type Point = { 
/**
 * Frame of the song.
 */
at: number, 
/**
 * Value there.
 */
value: Written, 
/**
 * How it goes on.
 */
then: Then, };
export type Here = { section: number, value: Written, };
export type Course = { param: string, sections: Array<Here>, points: Array<Point>, };
export type KeyTap = "before-rack" | "after-rack";
export type Follow = { 
/**
 * Identity of the unit followed.
 */
unit: number, 
/**
 * Rows of its first list whose gains are turned over, 0 first.
 */
mirrored: Array<number>, };
export type Unit = { 
/**
 * 0 and left out in files.
 */
id: number, kind: string, on: boolean, mix: number, trim_db: number, place: string, name?: string, why: string, key?: { strip: number, tap: KeyTap } | null, follows?: Follow, params: Params, over_time?: Course[], 
/**
 * By path, what this version cannot use; see [`super::kept`].
 */
kept?: Params, };
export type Family = "Dr" | "Bs" | "Gt" | "Ky" | "Or" | "Vo" | "Fx";
export type Part = "unknown" | "kick" | "snare" | "toms" | "overheads" | "bass-di" | "bass-mic" | "rhythm-guitar" | "acoustic-guitar" | "lead-guitar" | "electric-piano" | "piano" | "organ" | "synth" | "cellos" | "violins" | "winds" | "voice" | "effects-return";
export type AudioRef = { 
/**
 * Content hash, hexadecimal.
 */
hash: string, 
/**
 * 1 or 2.
 */
channels: number, 
/**
 * Length in frames.
 */
frames: number, 
/**
 * Where it begins in the song, in frames.
 */
start: number, 
/**
 * Where its file said that it began, in frames since midnight; none where it did not, or where it was moved by hand.
 */
stamp?: number, };
export type AuxSend = { 
/**
 * The bus or return it goes to.
 */
to: number, 
/**
 * Level in dB; off at and below [`OFF_DB`].
 */
level_db: number, 
/**
 * Taken before the fader, so that it stays when the fader moves; a mute silences it too.
 */
before_fader: boolean, };
export type Section = { 
/**
 * Identity within the session, kept when it is renamed or moved; 0 for one not yet in it.
 */
id: number, 
/**
 * Name on the page.
 */
name: string, 
/**
 * First frame.
 */
start: number, 
/**
 * One past the last frame.
 */
end: number, };
export type SectionChange = { 
/**
 * Its identity.
 */
id: number, 
/**
 * Its new name.
 */
name?: string, 
/**
 * Its new first frame.
 */
start?: number, 
/**
 * One past its new last frame.
 */
end?: number, };
export type Strip = { id: number, name: string, family: string, note: string, part: Part, guessed: boolean, take_set: number, role: string, audio: AudioRef | null, feeds: number | null, sends: Array<AuxSend>, controls: Params, rack: Rack, over_time?: Course[], 
/**
 * By name, what this version cannot use; see [`super::strip_of_any_version`].
 */
kept?: { [key in string]: JsonValue }, };
export type Frame = { name: string, rate: number, tempo_bpm: number, beats_per_bar: number, points_on_beats: boolean, sections: Array<Section>, };
export type Candidate = { 
/**
 * The rack file.
 */
rack: Rack, 
/**
 * Times it was called the best.
 */
votes: number, };
export type UnitRef = { 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit of it.
 */
unit: number, };
export type UnitSet = { 
/**
 * Name on the page.
 */
name: string, 
/**
 * Its units.
 */
units: Array<UnitRef>, };
export type NotebookEntry = { "entry": "partners", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Those heard with it.
 */
with: Array<number>, } | { "entry": "candidates", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Up to [`CANDIDATES`] places, empty ones included.
 */
slots: Array<Candidate | null>, } | { "entry": "unit-sets", 
/**
 * The sets.
 */
sets: Array<UnitSet>, } | { "entry": "not-rings", 
/**
 * Which strip.
 */
strip: number, 
/**
 * In Hz.
 */
hz: Array<number>, } | { "entry": "done", 
/**
 * Their numbers, 0 first.
 */
steps: Array<number>, };
export type Notebook = { 
/**
 * Strips heard along with a strip on its Bench.
 */
partners: { [key in number]: Array<number> }, 
/**
 * Candidates of a strip's rack.
 */
candidates: { [key in number]: Array<Candidate | null> }, 
/**
 * Frequencies in Hz of a strip that sound like rings and are none.
 */
not_rings: { [key in number]: Array<number> }, 
/**
 * Named sets of units.
 */
unit_sets: Array<UnitSet>, 
/**
 * Steps of the order of work that are done.
 */
done: Array<number>, };
export type Edit = { "edit": "set-control", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which control.
 */
control: string, 
/**
 * Its new value.
 */
value: Written, } | { "edit": "rename", 
/**
 * Which strip.
 */
strip: number, 
/**
 * New name.
 */
name: string, } | { "edit": "set-note", 
/**
 * Which strip.
 */
strip: number, 
/**
 * New note.
 */
note: string, } | { "edit": "add-unit", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Position, 0 first.
 */
at: number, 
/**
 * The unit as in a rack file.
 */
unit: Partial<Unit> & { kind: string }, } | { "edit": "remove-unit", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit.
 */
unit: number, } | { "edit": "move-unit", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit.
 */
unit: number, 
/**
 * New position, counted without the unit.
 */
to: number, } | { "edit": "set-param", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit.
 */
unit: number, 
/**
 * Which value.
 */
param: string, 
/**
 * Its new value.
 */
value: Written, } | { "edit": "add-row", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit.
 */
unit: number, 
/**
 * Name of the list.
 */
list: string, 
/**
 * Position, 0 first.
 */
at: number, 
/**
 * The row as in a rack file.
 */
row: { [key in string]: WrittenField }, } | { "edit": "remove-row", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit.
 */
unit: number, 
/**
 * Name of the list.
 */
list: string, 
/**
 * Position, 0 first.
 */
at: number, } | { "edit": "set-here", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit; 0 for the strip itself.
 */
unit: number, 
/**
 * Which value, as in [`crate::course::Course`].
 */
param: string, 
/**
 * Which section.
 */
section: number, 
/**
 * The value there; none for the one everywhere.
 */
value: Written | null, } | { "edit": "set-lane", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit; 0 for the strip itself.
 */
unit: number, 
/**
 * Which value, as in [`crate::course::Course`].
 */
param: string, 
/**
 * The points; none of them takes the lane away.
 */
points: Point[], 
/**
 * What they were drawn over in a window, so that what others have drawn meanwhile stays; none where they replace
 * whatever is there.
 */
over?: DrawnOver, } | { "edit": "set-points-on", 
/**
 * On their beats; else on their times.
 */
beats: boolean, } | { "edit": "name-unit", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit.
 */
unit: number, 
/**
 * Its name; empty to call it by its kind.
 */
name: string, } | { "edit": "set-why", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit.
 */
unit: number, 
/**
 * The words.
 */
why: string, } | { "edit": "set-key", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit.
 */
unit: number, 
/**
 * The key as in a rack file; `"self"` for none.
 */
key: "self" | { strip: number, tap: KeyTap }, } | { "edit": "set-follows", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Which unit.
 */
unit: number, 
/**
 * What it follows; none to go on by itself.
 */
follows: Follow | null, } | { "edit": "set-unit", 
/**
 * Which strip.
 */
strip: number, 
/**
 * The unit as in a rack file, with its identity.
 */
unit: Partial<Unit> & { kind: string }, } | { "edit": "copy-unit", 
/**
 * Strip of the unit.
 */
strip: number, 
/**
 * The unit.
 */
unit: number, 
/**
 * Strip that gets the copy.
 */
to: number, 
/**
 * Whether the copy goes on following.
 */
linked: boolean, 
/**
 * Rows of its first list whose gains are turned over in the copy.
 */
mirrored?: Array<number>, } | { "edit": "copy-rack", 
/**
 * Strip of the rack.
 */
strip: number, 
/**
 * Strip that gets the copy.
 */
to: number, 
/**
 * Whether the copies go on following.
 */
linked: boolean, } | { "edit": "replace-rack", 
/**
 * Which strip.
 */
strip: number, 
/**
 * The rack file.
 */
rack: Rack, } | { "edit": "add-strip", 
/**
 * Position among the strips.
 */
at: number, 
/**
 * The strip in full; identity 0 means: give it a new one.
 */
strip: unknown, } | { "edit": "remove-strip", 
/**
 * Which strip.
 */
strip: number, } | { "edit": "move-strip", 
/**
 * Which strip.
 */
strip: number, 
/**
 * New position, counted without the strip.
 */
to: number, } | { "edit": "set-feeds", 
/**
 * Which strip.
 */
strip: number, 
/**
 * What it feeds.
 */
to: number, } | { "edit": "set-sends", 
/**
 * Which strip.
 */
strip: number, 
/**
 * The sends.
 */
sends: Array<AuxSend>, } | { "edit": "set-part", 
/**
 * Which strip.
 */
strip: number, 
/**
 * What it plays.
 */
part: Part, 
/**
 * Its family's mark, which may differ from the part's own.
 */
family: Family, 
/**
 * Whether this is a guess nobody has looked at.
 */
guessed?: boolean, } | { "edit": "set-take-set", 
/**
 * Which strip.
 */
strip: number, 
/**
 * Number of the set.
 */
set: number, } | { "edit": "set-start", 
/**
 * Which strip.
 */
strip: number, 
/**
 * First frame.
 */
start: number, 
/**
 * Where its file said that it began, in frames since midnight; none where it is moved by hand.
 */
stamp?: number, } | { "edit": "set-tempo", 
/**
 * Quarter notes per minute.
 */
tempo_bpm: number, 
/**
 * Quarter notes per bar.
 */
beats_per_bar: number, } | { "edit": "add-section", 
/**
 * The section.
 */
section: Section, } | { "edit": "set-section", 
/**
 * What of it.
 */
section: SectionChange, } | { "edit": "remove-section", 
/**
 * Its identity.
 */
section: number, } | { "edit": "set-sections", 
/**
 * The sections.
 */
sections: Array<Section>, } | { "edit": "note", 
/**
 * What.
 */
note: NotebookEntry, } | { "edit": "several", 
/**
 * The changes in order.
 */
edits: Array<Edit>, };
export type About = "units" | "rack" | "controls" | "sends" | "words" | "name" | "standing" | "strips" | "song" | "notebook" | "mixed";
export type Reach = "nothing" | "mix" | "racks";
export type Facts = { 
/**
 * The strips that are other than before, each once.
 */
strips: Array<number>, 
/**
 * What it is about.
 */
about: About, 
/**
 * How far it is heard.
 */
reach: Reach, 
/**
 * Whether it can be shown and heard before it is known whether it will be kept: it gives no identity away, but those
 * of units, of which a window can tell what they will be ([`crate::session::window`]).
 */
at_once: boolean, };
export type Told = { 
/**
 * What is to be known of it.
 */
facts: Facts, 
/**
 * Whether it was shown and heard here before.
 */
was_shown: boolean, };
export type UnitBlock = { 
/**
 * The unit.
 */
id: number, 
/**
 * Its kind.
 */
kind: string, 
/**
 * Whether it is on.
 */
on: boolean, };
export type GraphBlock = { 
/**
 * The strip.
 */
id: number, 
/**
 * Its name.
 */
name: string, 
/**
 * Its family's mark.
 */
family: string, 
/**
 * track, bus, return or main.
 */
role: string, 
/**
 * Its units in order, as kind and switch.
 */
units: Array<UnitBlock>, 
/**
 * Frames by which what enters its rack lags the recordings.
 */
input_latency: number, 
/**
 * Frames by which what leaves it does.
 */
output_latency: number, 
/**
 * What is worth saying about it, in a sentence.
 */
remark: string | null, 
/**
 * Steps from the first strips of its path: 0 for tracks.
 */
depth: number, };
export type Arrow = { 
/**
 * Level of a send in dB.
 */
level_db: number | null, 
/**
 * Where it comes from.
 */
from: number, 
/**
 * Where it goes.
 */
to: number, } & ({ "path": "feed" } | { "path": "send", 
/**
 * Position among the strip's sends.
 */
at: number, } | { "path": "key", 
/**
 * The unit.
 */
unit: number, 
/**
 * Where the source is tapped.
 */
tap: KeyTap, });
export type Graph = { 
/**
 * Strips in signal order.
 */
nodes: Array<GraphBlock>, 
/**
 * Paths in the session's order.
 */
edges: Array<Arrow>, 
/**
 * Frames by which the mix lags the recordings.
 */
latency_samples: number, };
export type PointFigures = { 
/**
 * Gated loudness in LUFS; absent for silence.
 */
lufs: number | null, 
/**
 * Sample peak in dBFS.
 */
peak_db: number, 
/**
 * RMS in dBFS.
 */
rms_db: number, 
/**
 * Peak minus RMS in dB.
 */
crest_db: number, 
/**
 * Side against mid in dB; see [`WidthMeter::width_db`].
 */
width_db: number, 
/**
 * Third-octave levels in dBFS.
 */
third_octave: number[], 
/**
 * Side against middle in dB by third octaves; see [`ThirdOctaves::side_to_mid_db`].
 */
side_to_mid_db: number[], 
/**
 * How alike both sides are, each tenth of a second, in hundredths; see [`Correlation`].
 */
correlation: Array<number | null>, 
/**
 * The same in twelfths of an octave ([`super::third_octave::TWELFTHS`]).
 */
twelfths: Array<number>, 
/**
 * Share of peak levels (per 128 frames) in each dB from
 * [`HISTOGRAM_FLOOR_DB`] to 0, in thousandths.
 */
histogram: Array<number>, 
/**
 * Waveform: extremes of each 512 frames, full scale 1000; the delay up to this point taken
 * off, so that all points show the same moments.
 */
overview: Array<[number, number]>, };
export type ReductionFigures = { 
/**
 * The unit.
 */
unit: number, 
/**
 * Most reduction in dB in each stretch of 512 frames, in tenths of a dB.
 */
trace: Array<number>, 
/**
 * Largest reduction in dB.
 */
max_db: number, 
/**
 * Mean reduction in dB while anything was taken away.
 */
mean_db: number, 
/**
 * Share of time in which more than 0.5 dB was taken away.
 */
share: number, 
/**
 * Levels of what drives it, as [`PointFigures::histogram`].
 */
histogram: Array<number>, };
export type MoveFigures = { 
/**
 * The unit.
 */
unit: number, 
/**
 * The row, 0 first.
 */
row: number, 
/**
 * Largest movement in dB, whichever way.
 */
max_db: number, 
/**
 * Share of time in which it moved by more than 0.5 dB.
 */
share: number, };
export type Treatment = { 
/**
 * At the input and after each station.
 */
points: Array<PointFigures>, 
/**
 * Reduction of the stations that reduce.
 */
reductions: Array<ReductionFigures>, 
/**
 * Movement of the rows whose gain moved.
 */
moves: Array<MoveFigures>, 
/**
 * Loudness energy of each tenth of a second before and after the rack.
 */
tenths_in: Array<number>, 
/**
 * See `tenths_in`.
 */
tenths_out: Array<number>, 
/**
 * Delay of the rack in frames; what comes out is that much later.
 */
latency: number, };
export type Ring = { 
/**
 * Frequency in Hz.
 */
hz: number, 
/**
 * The nearest note.
 */
note: string, 
/**
 * dB by which it stands out of its surroundings.
 */
prominence_db: number, 
/**
 * Time in ms in which it falls by 60 dB.
 */
ring_ms: number, 
/**
 * Share of the time something plays in which it rings.
 */
share: number, 
/**
 * `ring` or `hum`.
 */
is: string, 
/**
 * A band of the surgical EQ against it, to be heard before it is kept.
 */
suggest: Params, 
/**
 * Why that one.
 */
why: string, };
export type Hum = { 
/**
 * 50 or 60.
 */
mains_hz: number, 
/**
 * Frequency in Hz and level in dBFS of each line.
 */
lines: Array<[number, number]>, };
export type LowCut = { 
/**
 * Corner in Hz.
 */
freq_hz: number, 
/**
 * Slope in dB/oct.
 */
slope_db_oct: number, 
/**
 * Loudness it takes away, in LU, >= 0, with whatever lies below the instrument.
 */
removes_lu: number, 
/**
 * A band of the surgical EQ that does it.
 */
suggest: Params, };
export type Floor = { 
/**
 * Frequency in Hz of its lowest tone.
 */
begins_hz: number, 
/**
 * The nearest note.
 */
note: string, 
/**
 * Level in dBFS of what lies more than half an octave below, while it plays.
 */
below_dbfs: number, 
/**
 * Level in dBFS there that is hardly ever fallen short of, playing or resting: a room's or a stand's, not that
 * of strokes and breaths, which come and go.
 */
steady_dbfs: number, 
/**
 * What hums, if anything does.
 */
hum: Hum | null, 
/**
 * Leaves the instrument intact.
 */
keep: LowCut, 
/**
 * Leaves the low end to others.
 */
room: LowCut, };
export type Moments = { 
/**
 * Mean square by third octave, K-weighted, for each moment, one after another.
 */
energy: number[][], };
export type Guess = { 
/**
 * The part.
 */
part: Part, 
/**
 * Its name on the page.
 */
label: string, 
/**
 * How sure, 0 to 1.
 */
sure: number, };
export type Raw = { 
/**
 * Level, loudness, spectrum, waveform.
 */
point: PointFigures, 
/**
 * Loudness energy of each tenth of a second.
 */
tenths: Array<number>, 
/**
 * Stretches in which it plays, in frames.
 */
plays: Array<[number, number]>, 
/**
 * Where it begins; none where nothing is heard.
 */
floor: Floor | null, 
/**
 * What rings, strongest first.
 */
rings: Array<Ring>, 
/**
 * What it sounds like, likeliest first.
 */
sounds_like: Array<Guess>, };
export type Decay = { 
/**
 * Length in seconds.
 */
seconds: number, 
/**
 * RMS of each stretch in dB against the loudest of them.
 */
level_db: Array<number>, 
/**
 * What is still to come from the beginning of each stretch, in dB against the whole.
 */
left_db: Array<number>, 
/**
 * Time in seconds in which it falls by 60 dB; none where it ends before it has died away.
 */
t60_s: number | null, };
export type FirstMove = { 
/**
 * What was found, with its figure.
 */
says: string, 
/**
 * What the unit does about it.
 */
does: string, 
/**
 * The unit, as a session holds it.
 */
unit: Unit, };
export type Pair = { 
/**
 * Stations of the rack it is about, 0 first.
 */
stations: Array<number>, 
/**
 * What happens, with figures.
 */
says: string, 
/**
 * What could be done about it, in words and as an edit; none where nothing need be.
 */
mend: [string, Edit] | null, };
export type Difference = { 
/**
 * Frequencies in Hz, in equal ratios.
 */
hz: Array<number>, 
/**
 * Difference of the two levels in dB, as measured; none where either is noise.
 */
measured: Array<number | null>, 
/**
 * The same, smoothed and without `level_db`.
 */
smooth: Array<number>, 
/**
 * By how many dB the one is louder as a whole: the median of the difference.
 */
level_db: number, };
export type Fit = { 
/**
 * Bands of a surgical EQ as in a rack file, by frequency.
 */
bands: Params[], 
/**
 * Largest error in dB at any of the frequencies.
 */
worst_db: number, 
/**
 * Root of the mean square error in dB.
 */
rms_db: number, };
export type AgainstUsual = { 
/**
 * What it is held against, in words.
 */
kind: string, 
/**
 * By third of an octave from 20 Hz, lowest and highest usual level in dBFS; none where nothing is said.
 */
range_dbfs: Array<[number, number] | null>, 
/**
 * Where it lies furthest outside, furthest first, each with the broad move that goes halfway back.
 */
departures: Array<FirstMove>, };
export type Hit = { 
/**
 * Least and greatest sample of each stretch, in thousandths of full scale.
 */
wave: Array<[number, number]>, 
/**
 * Seconds from where the outline begins, and Hz, of each cycle.
 */
cycles: Array<[number, number]>, 
/**
 * Seconds shown.
 */
seconds: number, };
export type TakeFigures = { 
/**
 * Largest sample in dBFS.
 */
peak_db: number, 
/**
 * Mean power in dBFS.
 */
body_db: number, 
/**
 * Peak less body.
 */
crest_db: number, 
/**
 * Loudness in LUFS; none where there is too little to measure.
 */
loudness_lufs: number | null, 
/**
 * The same if its peak were brought to that of the original.
 */
loudness_at_equal_peak_lufs: number | null, 
/**
 * Mean reduction of all units together in dB while it works, the most, and the share of time.
 */
reduction_mean_db: number, 
/**
 * See `reduction_mean_db`.
 */
reduction_most_db: number, 
/**
 * See `reduction_mean_db`; 0 to 1.
 */
reduction_share: number, 
/**
 * What it does to the spectrum as an EQ: frequency in Hz and gain in dB by third octave, the
 * change of loudness taken out.
 */
as_eq: Array<[number, number]>, 
/**
 * Level of the difference to the original in dB against the original, both equally loud; none
 * where they are equal to the last bit.
 */
difference_db: number | null, };
export type ReportField = { 
/**
 * Name.
 */
name: string, 
/**
 * How it is written.
 */
is: string, };
/** Values by name, groups as objects, lists of rows as arrays: what a kind's tables say. */
export type Params = Record<string, any>;
/** A rack as in a file. */
export type Rack = { zinc_rack: number, units: Unit[] };
/** A session in full. */
export type Session = Frame & { strips: Strip[], notebook: Notebook };
