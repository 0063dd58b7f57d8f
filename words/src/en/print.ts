/** What stands in printed documents besides what they are of. */
export const print = {
  'print.asItStood': 'As it stood on {on}: {n, plural, one {one series} other {# series}}.',
  'print.ended': '{heading} ({how, select, retired {retired} other {closed}} {on})',
  'print.foot': '{what} · page {no} of {of}',
  'print.notHere': 'Not here: {what}',
  'print.plan': 'File plan',
  'print.planOf': 'File plan of {repository}',
  'print.planOn': 'File plan, {on}',
  'print.rules': 'Rules: {rules}',
};
