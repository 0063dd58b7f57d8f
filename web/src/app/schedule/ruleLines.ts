import type { RuleDefinition } from '@key-cellar/contract';
import {
  describeBasis,
  describeCutoff,
  describeSample,
  describeStep,
  describeStepTime,
  describeSuspension,
  describeTrigger,
} from '@key-cellar/core/schedule';
import { say } from '../../words/say';
import { periodWords } from '../kit/words';

/** One line of a rule in words. */
export interface RuleSentence {
  readonly name: string;
  readonly words: string;
  /** Where the authority can be read. */
  readonly link?: string;
}

function stepWords(step: RuleDefinition['steps'][number]): string {
  const what = say(describeStep(step.kind));
  if (step.kind === 'keepPermanently') return what;
  return [
    `${what} ${say(describeStepTime(step))}`,
    ...(step.repeatEvery ? [$localize`again every ${periodWords(step.repeatEvery)}:period:`] : []),
    ...(step.approvals === 1 ? [$localize`one approval`] : step.approvals > 1 ? [$localize`${step.approvals}:n: approvals`] : []),
    ...(step.approverGroups?.length ? [$localize`by ${step.approverGroups.join(', ')}:groups:`] : []),
    ...(step.noticeDays > 0 ? [$localize`${step.noticeDays}:n: days of notice`] : []),
  ].join(', ');
}

/** A rule in words, line by line; the same lines in the same order for every rule, its steps last. */
export function ruleLines(rule: RuleDefinition): RuleSentence[] {
  return [
    { name: $localize`Title`, words: rule.title },
    { name: $localize`Authority`, words: rule.authority, link: rule.link },
    { name: $localize`Jurisdictions`, words: rule.jurisdictions.join(', ') || $localize`everywhere` },
    {
      name: $localize`The clock starts with`,
      words: [describeTrigger(rule.trigger), describeCutoff(rule.cutoff), describeSuspension(rule.suspension)]
        .flatMap((said) => (said ? [say(said)] : []))
        .join('; '),
    },
    ...(rule.basis ? [{ name: $localize`The period is`, words: say(describeBasis(rule.basis)) }] : []),
    ...(rule.sample ? [{ name: $localize`Kept as a sample`, words: say(describeSample(rule.sample)) }] : []),
    ...rule.steps.map((step, i) => ({ name: $localize`Step ${i + 1}:n:`, words: stepWords(step) })),
  ];
}

/** Two rules line by line; a step that only one of them has is null on the other side. */
export function compareRules(left: RuleDefinition, right: RuleDefinition): { name: string; left: string | null; right: string | null }[] {
  const [a, b] = [ruleLines(left), ruleLines(right)];
  const withLink = (line: RuleSentence | undefined): string | null => (line ? [line.words, line.link].filter(Boolean).join(' · ') : null);
  return Array.from({ length: Math.max(a.length, b.length) }, (_, i) => ({
    name: (a[i] ?? b[i])!.name,
    left: withLink(a[i]),
    right: withLink(b[i]),
  }));
}
