// @ts-check
/** What is taken away along the path of a strip, in words. */
import { level } from '../draw/svg.js';
import { latestWork } from '../session/work.js';
import { doc } from './session-frame.js';

const taken = latestWork();

/**
 * On the mean while it sounds, and at most: each rack that takes something, and all together; empty
 * where nothing is taken.
 * @param {number} strip
 */
export async function takenAlong(strip) {
  const found = await taken(`/api/sessions/${doc.id}/strips/${strip}/taken`, {}, () => {});
  if (!found || found.paths.length === 0) return '';
  const one = (/** @type {{ name: string, mean_db: number }} */ path) => `${path.name} ${level(path.mean_db)}`;
  const { mean_db: mean, most_db: most } = found.total;
  const sum = found.paths.length > 1 ? `${found.paths.map(one).join(' + ')} = ${level(mean)}` : one(found.paths[0]);
  return `total GR along the path: mean ${sum} dB, max ${level(most)} dB`;
}
