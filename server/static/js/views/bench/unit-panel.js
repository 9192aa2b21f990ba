// @ts-check
/** The panel that fits a unit. */
import { pictureOf } from './pictures/registry.js';

/** @param {ConstructorParameters<typeof import('./panel.js').Panel>} args */
export function unitPanel(...args) {
  const { panel: Panel } = pictureOf(args[1].kind);
  return new Panel(...args);
}
