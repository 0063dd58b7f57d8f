import { computed, inject, type Signal } from '@angular/core';
import { plan } from '@key-cellar/contract';
import { Api } from '../kit/api';
import type { Option } from '../kit/choice';
import { loaded } from '../kit/loaded';
import { principalChoices } from '../kit/principals';
import { byWords } from '../kit/words';

/** Places, people and groups to choose from. Call in an injection context. */
export function spotChoices(): { readonly places: Signal<Option<string>[]>; readonly people: Signal<readonly Option<string>[]> } {
  const api = inject(Api);
  const outline = loaded(() => api.call(plan.outline, { query: { folders: true } }));
  return {
    places: computed(() =>
      (outline.value()?.places ?? [])
        .map((p) => ({ value: p.id, name: `${p.code} ${p.title}`.trim() }))
        .sort((a, b) => byWords(a.name, b.name)),
    ),
    people: principalChoices(['person', 'group']),
  };
}
