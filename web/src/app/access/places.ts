import { computed, inject, type Signal } from '@angular/core';
import { identity, plan } from '@key-cellar/contract';
import { Api } from '../kit/api';
import type { Option } from '../kit/choice';
import { loaded } from '../kit/loaded';
import { byWords } from '../kit/words';

/** Places, people and groups to choose from. Call in an injection context. */
export function spotChoices(): { readonly places: Signal<Option<string>[]>; readonly people: Signal<Option<string>[]> } {
  const api = inject(Api);
  const outline = loaded(() => api.call(plan.outline, { query: { folders: true } }));
  const known = loaded(() => api.call(identity.people));
  return {
    places: computed(() =>
      (outline.value()?.places ?? [])
        .map((p) => ({ value: p.id, name: `${p.code} ${p.title}`.trim() }))
        .sort((a, b) => byWords(a.name, b.name)),
    ),
    people: computed(() =>
      (known.value()?.people ?? []).flatMap((p) =>
        p.kind === 'service' ? [] : [{ value: p.id, name: p.kind === 'group' ? $localize`${p.name}:name: (group)` : p.name }],
      ),
    ),
  };
}
