/** What belongs to no area. */
export const shared = {
  'shared.asIs': '{text}',
  'shared.inLine': '{first} · {second}',
  'shared.noTime': 'no time',
  'shared.nothing': 'nothing',
  'shared.oneAfterAnother': '{first} {second}',
  'shared.others': 'others',
  'shared.somebody': 'somebody',
} as const;
