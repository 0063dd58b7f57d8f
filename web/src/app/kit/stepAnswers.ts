import type { StepAnswer, StepTask } from '@key-cellar/contract';

/** One answer to what a rule asks, as a button and as what was said. */
export interface AnswerChoice {
  readonly value: StepAnswer;
  readonly label: string;
  readonly said: string;
  readonly key: string;
}

const choices: Record<StepAnswer, AnswerChoice> = {
  goOn: { value: 'goOn', label: $localize`Continue to next step`, said: $localize`continued to the next step`, key: 'o' },
  keep: { value: 'keep', label: $localize`Still needed`, said: $localize`still needed`, key: 'y' },
  notNeeded: { value: 'notNeeded', label: $localize`Not needed`, said: $localize`not needed`, key: 'u' },
};

/** What can be answered: only of a review can one say that it may go on. */
export function answersTo(kind: StepTask['kind']): readonly AnswerChoice[] {
  return kind === 'review' ? [choices.goOn, choices.keep, choices.notNeeded] : [choices.keep, choices.notNeeded];
}

/** What was answered, in words. */
export function saidWords(answer: StepAnswer): string {
  return choices[answer].said;
}
