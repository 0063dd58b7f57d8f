/** Record types, parties and business objects. */
export const facts = {
  'facts.cannotChooseAnotherAsk': '{fact} cannot be {value} here. Choose another, or ask a keeper.',
  'facts.codeTaken': 'There is already a record type “{code}”.',
  'facts.editorsKeepersLookAfter': 'Editors and keepers look after parties and business objects.',
  'facts.gapsCounted': '{changed} of {looked} records now have other gaps.',
  'facts.keepersDecideWhatRecord': 'Keepers decide what record types there are.',
  'facts.mustNameOneThere': '{title} must name one that exists and that you may know of.',
  'facts.mustNameOneYou':
    '{title} must name one that you may annotate, as it is superseded from today on; whoever looks after its place can let you.',
  'facts.notUnique': '{title} cannot become unique: {n} records have {value}.',
  'facts.recordsHave': '{n} records have {value}.',
  'facts.taken': '{fact} {value} is taken by {number}.',
  'facts.thereOneCalledAlready': 'There is already one called {name}.',
} as const;
