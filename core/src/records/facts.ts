import { parseCivilDate } from '../calendar/index.js';

export const factKinds = ['text', 'longText', 'whole', 'decimal', 'date', 'yesNo', 'choice'] as const;
export type FactKind = (typeof factKinds)[number];

/** One fact that a record type asks for. */
export interface FactDefinition {
  readonly code: string;
  readonly title: string;
  readonly kind: FactKind;
  readonly required: boolean;
  readonly choices?: readonly string[] | undefined;
  /** Dublin Core element (ISO 15836-1), where one fits. */
  readonly dublinCore?: string | undefined;
}

export type FactValue = string | number | boolean;
export type Facts = Readonly<Record<string, FactValue>>;

export interface FactProblem {
  readonly fact: string;
  readonly sentence: string;
}

function problemOf(definition: FactDefinition, value: FactValue): string | null {
  switch (definition.kind) {
    case 'text':
    case 'longText':
      return typeof value === 'string' ? null : 'must be text';
    case 'whole':
      return Number.isSafeInteger(value) ? null : 'must be a whole number';
    case 'decimal':
      return typeof value === 'number' && Number.isFinite(value) ? null : 'must be a number';
    case 'date':
      return typeof value === 'string' && parseCivilDate(value) !== null ? null : 'must be a date such as 2026-09-14';
    case 'yesNo':
      return typeof value === 'boolean' ? null : 'must be yes or no';
    case 'choice':
      return definition.choices?.includes(String(value)) ? null : `must be one of ${definition.choices?.join(', ') ?? 'nothing'}`;
  }
}

/** Wrong values, by fact. Unknown facts are wrong; missing ones are gaps, not problems. */
export function factProblems(definitions: readonly FactDefinition[], facts: Facts): FactProblem[] {
  const problems: FactProblem[] = [];
  for (const [code, value] of Object.entries(facts)) {
    const definition = definitions.find((d) => d.code === code);
    if (!definition) {
      problems.push({ fact: code, sentence: `This record type has no fact “${code}”.` });
      continue;
    }
    const problem = problemOf(definition, value);
    if (problem) problems.push({ fact: code, sentence: `${definition.title} ${problem}.` });
  }
  return problems;
}

/** Titles of the required facts that are missing. */
export function factGaps(definitions: readonly FactDefinition[], facts: Facts): string[] {
  return definitions.filter((d) => d.required && (facts[d.code] === undefined || facts[d.code] === '')).map((d) => d.title);
}
