import type { Services as Kernel } from '../kernel/index.js';
import type { Sealer } from './sealer.js';

export interface Services extends Kernel {
  readonly sealer: Sealer;
}
