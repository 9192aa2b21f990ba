// @ts-check
/** The panel that fits a unit's picture. */
import { DrawnPanel } from './drawn-panel.js';
import { DynamicsPanel } from './dynamics-panel.js';
import { EqPanel } from './eq-panel.js';
import { WidthPanel } from './width-panel.js';
import { kindOf } from './wire.js';

/**
 * The panel that fits a unit's picture.
 * @param {ConstructorParameters<typeof import('./panel.js').Panel>} args
 */
export function unitPanel(...args) {
  const { picture } = kindOf(args[1].kind);
  if (picture === 'bend') return new DynamicsPanel(...args);
  if (picture === 'drawn') return new DrawnPanel(...args);
  return picture === 'width' ? new WidthPanel(...args) : new EqPanel(...args);
}
