/** States of a record that forbid some acts, whoever asks. */
export const states = ['held', 'frozen', 'declared', 'declared and held', 'in a batch'] as const;
export type State = (typeof states)[number];

const in_ = (held: string, frozen: string, declared: string, bound: string, batch: string): Record<State, string> => ({
  held,
  frozen,
  declared,
  'declared and held': bound,
  'in a batch': batch,
});
const always = (said: string): Record<State, string> => in_(said, said, said, said, said);
const frozen = 'A hold freezes this record. Counsel can release the hold.';
const declared = 'This record is declared, so it cannot change until its disposition. A keeper may undeclare it with a reason.';
const already = 'This record is already declared.';
const never = 'This record is not declared.';
const other = 'This hold does not cover it.';
const changing = in_('done', frozen, declared, declared, 'done');

/** What comes of each act on a record in each state, for a keeper of all. An act on a record without a line here fails the spec. */
export const standing: Readonly<Record<string, Partial<Record<State, string>>>> = {
  'schedule.override': always('Done.'),
  'schedule.addRecordEvent': always('done'),
  'records.editFacts': changing,
  'records.addVersion': changing,
  'records.declare': in_('Declared.', 'Declared.', already, already, 'Declared.'),
  'records.undeclare': in_(never, never, 'Undeclared.', 'A held record cannot be undeclared. Release its holds first.', never),
  'holds.placeHold': always('covered'),
  'holds.addRecords': in_('covered', 'already covered', 'covered', 'covered', 'covered'),
  'holds.letOut': in_(other, 'Let out.', other, other, other),
};
