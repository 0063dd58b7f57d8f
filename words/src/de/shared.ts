import type { shared as english } from '../en/shared.js';

/** What belongs to no area. */
export const shared: Record<keyof typeof english, string> = {
  'shared.asIs': '{text}',
  'shared.inLine': '{first} · {second}',
  'shared.noTime': 'keine Zeit',
  'shared.nothing': 'nichts',
  'shared.oneAfterAnother': '{first} {second}',
  'shared.others': 'weitere',
  'shared.somebody': 'jemand',
};
