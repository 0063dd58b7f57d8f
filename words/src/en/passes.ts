/** Visitor passes. */
export const passes = {
  'passes.aYear': 'is more than a year away',
  'passes.endsBefore': 'has passed already',
  'passes.noneOpen': 'No pass is open here. Open the link that you were given again.',
  'passes.notOn': '{name}: {why}',
  'passes.readOnly': 'This pass is for reading only.',
  'passes.recordsOrPlace': 'Name records, or a place, and not both.',
  'passes.revokedAlready': 'It was revoked already.',
  'passes.seriesOrFolder': 'A pass is for a series, a folder or records.',
  'passes.stewardKeeperCan': 'A steward or keeper can.',
  'passes.worksNoMore': 'This pass does not work any more. Ask whoever gave it to you for another.',
  'passes.wrongPassphrase': 'That is not the passphrase.',
} as const;
