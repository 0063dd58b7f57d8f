import type { RecordLine } from '@key-cellar/contract';
import type { MarkKind } from './mark';

/** The marks that a record carries, most telling first. */
export function marksOf(r: Pick<RecordLine, 'state' | 'held' | 'docket' | 'outcome' | 'medium' | 'gaps'>): MarkKind[] {
  const marks: MarkKind[] = [];
  if (r.state === 'disposed') return ['disposed'];
  if (r.held > 0) marks.push('held');
  if (r.docket !== 'none') marks.push('due');
  if (r.outcome === 'unscheduled') marks.push('unscheduled');
  if (r.state === 'declared') marks.push('declared');
  if (r.outcome === 'permanent') marks.push('permanent');
  if (r.outcome === 'waiting') marks.push('waiting');
  if (r.medium === 'physical') marks.push('physical');
  if (r.gaps > 0) marks.push('gap');
  return marks;
}
