import type { Services as Kernel } from '../kernel/index.js';
import type { Outside, Sealer } from './sealer.js';

export interface Services extends Kernel {
  readonly sealer: Sealer;
  /** The witness and the time-stamping authority. */
  readonly outside: Outside;
}
