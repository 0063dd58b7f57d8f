import type { StepTask } from '@key-cellar/contract';

/** Tasks of one kind and one rule, in the order in which they came. */
export interface TaskGroup<T extends StepTask = StepTask> {
  readonly key: string;
  readonly tasks: readonly T[];
}

/** What is asked by each rule; questions to owners before reviews. */
export function taskGroups<T extends StepTask>(tasks: readonly T[]): TaskGroup<T>[] {
  const groups = new Map<string, T[]>();
  for (const task of [...tasks].sort((a, b) => (a.kind < b.kind ? -1 : a.kind > b.kind ? 1 : 0))) {
    const key = `${task.kind} ${task.ruleCode}`;
    groups.set(key, [...(groups.get(key) ?? []), task]);
  }
  return [...groups].map(([key, of]) => ({ key, tasks: of }));
}
