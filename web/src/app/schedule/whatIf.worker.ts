import { civilDate } from '@key-cellar/core/calendar';
import { effectOnCases, namedEffect, withDraft, type ScheduleCase } from '@key-cellar/core/schedule';
import type { Draft, WhatIfAnswer, WhatIfQuestion } from './whatIfModel';

let given: Extract<WhatIfQuestion, { kind: 'cases' }>['given'] = { cases: [], rules: {} };

function effectOf(draft: Draft): WhatIfAnswer['effect'] {
  const { ruleId, code, definition, inForceFrom, takesOver, today } = draft;
  const { cases, rules } = given;
  const after = withDraft(rules, ruleId, code, { ...definition, inForceFrom, takesOver });
  const day = civilDate(today);
  const effect = effectOnCases(cases, rules, after, day, Math.max(day, civilDate(inForceFrom)));
  const series = new Map(cases.map((c) => [c.series.id, c.series]));
  const records = new Map<string, ScheduleCase>(cases.map((c) => [c.id, c]));
  return namedEffect(
    effect,
    (id) => series.get(id),
    (id) => records.get(id),
  );
}

addEventListener('message', ({ data }: MessageEvent<WhatIfQuestion>) => {
  if (data.kind === 'cases') given = data.given;
  else postMessage({ id: data.id, effect: effectOf(data.draft) } satisfies WhatIfAnswer);
});
