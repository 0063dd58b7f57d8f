import type { passes as english } from '../en/passes.js';

/** Besuchsausweise. */
export const passes: Record<keyof typeof english, string> = {
  'passes.aYear': 'ist mehr als ein Jahr entfernt',
  'passes.endsBefore': 'ist schon vorbei',
  'passes.noneOpen': 'Hier ist kein Ausweis offen. Öffnen Sie den Link, den Sie bekommen haben, noch einmal.',
  'passes.notOn': '{name}: {why}',
  'passes.readOnly': 'Dieser Ausweis ist nur zum Lesen.',
  'passes.recordsOrPlace': 'Nennen Sie Unterlagen oder eine Stelle, nicht beides.',
  'passes.revokedAlready': 'Er wurde schon zurückgezogen.',
  'passes.seriesOrFolder': 'Ein Ausweis gilt für eine Serie, eine Akte oder Unterlagen.',
  'passes.stewardKeeperCan': 'Ein Betreuer oder Verwalter kann es.',
  'passes.worksNoMore': 'Dieser Ausweis gilt nicht mehr. Bitten Sie um einen anderen, wo Sie ihn bekommen haben.',
  'passes.wrongPassphrase': 'Das ist nicht das Kennwort.',
};
