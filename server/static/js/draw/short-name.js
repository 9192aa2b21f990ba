// @ts-check

/** What may follow a word that is cut. */
const DOT = '.';
/** Letters of a word that is cut once. */
const CUT = 4;

/**
 * A name as a person would shorten it until it fits: "Last chorus", "L. chorus", "L. chor.",
 * "LC", "L"; "Chorus 2", "Chor. 2", "C2". Numbers stay as long as anything does.
 * @param {string} name
 * @param {(text: string) => boolean} fits
 */
export function shortName(name, fits) {
  return shorter(name).find(fits) ?? '';
}

/** From the whole name to its first letter. @param {string} name */
function shorter(name) {
  const words = name.trim().split(/\s+/);
  const numbers = words.filter((word) => /^\d+$/.test(word));
  const spoken = words.filter((word) => !/^\d+$/.test(word));
  const letters = spoken.map((word) => [...word][0]);
  const last = spoken.at(-1) ?? '';
  const before = letters.slice(0, -1).map((letter) => letter + DOT);
  const cut = [...last].length > CUT + 1 ? [...last].slice(0, CUT).join('') + DOT : last;
  const initials = letters.join('').toUpperCase();
  return [
    name,
    [...before, last, ...numbers].join(' '),
    [...before, cut, ...numbers].join(' '),
    initials + numbers.join(''),
    initials,
    letters[0] ?? '',
  ].filter((text, i, all) => text && all.indexOf(text) === i);
}
