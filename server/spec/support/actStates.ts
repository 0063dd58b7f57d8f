/** States of a record that forbid some acts, whoever asks. */
export const states = ['held', 'frozen', 'declared', 'declared and held', 'in a batch', 'disposed'] as const;
export type State = (typeof states)[number];

const in_ = (held: string, frozen: string, declared: string, bound: string, batch: string, gone: string): Record<State, string> => ({
  held,
  frozen,
  declared,
  'declared and held': bound,
  'in a batch': batch,
  disposed: gone,
});
const always = (said: string, gone: string): Record<State, string> => in_(said, said, said, said, said, gone);
const frozen = 'A hold freezes this record. Counsel can release the hold.';
const declared = 'This record is declared, so it cannot change until its disposition. A keeper may revoke the declaration with a reason.';
const already = 'This record is already declared.';
const never = 'This record is not declared.';
const stub = 'This record was disposed of; only its stub remains.';
const other = 'This hold does not cover it.';
const changing = in_('done', frozen, declared, declared, 'done', stub);

/** What comes of each act on a record in each state, for a keeper of all. An act on a record without a line here fails the spec. */
export const standing: Readonly<Record<string, Partial<Record<State, string>>>> = {
  'schedule.override': always('Done.', 'It was disposed of before.'),
  'schedule.addRecordEvent': always('done', 'This record was disposed of; nothing can happen to it any more.'),
  'records.editFacts': changing,
  'records.addVersion': changing,
  'records.move': in_('Moved.', frozen, declared, declared, 'Moved.', stub),
  'records.declare': in_('Declared.', 'Declared.', already, already, 'Declared.', stub),
  'records.revoke': in_(
    never,
    never,
    'Declaration revoked.',
    'The declaration of a held record cannot be revoked. Release its holds first.',
    never,
    stub,
  ),
  'access.markRecords': always('marking level 1', 'marking level 1'),
  'access.giveOnRecord': always('done', 'done'),
  'tags.ofRecords': always('carries Spare', 'carries Spare'),
  'passes.make': always('done', stub),
  'holds.placeHold': always('covered', 'gone before the hold'),
  'holds.addRecords': in_('covered', 'already covered', 'covered', 'covered', 'covered', 'gone before the hold'),
  'holds.letOut': in_(other, 'Let out.', other, other, other, other),
};
