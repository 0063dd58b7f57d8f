import { computed, inject, type Signal } from '@angular/core';
import { identity } from '@key-cellar/contract';
import { Api } from './api';
import type { Option } from './choice';
import { loaded } from './loaded';

type Kind = 'person' | 'group' | 'service';

/** People, groups and programs, to be chosen from. Call in an injection context. */
export function principalChoices(kinds: readonly Kind[] = ['person', 'group', 'service']): Signal<readonly Option<string>[]> {
  const api = inject(Api);
  const known = loaded(() => api.call(identity.people));
  const words = {
    person: (name: string) => name,
    group: (name: string) => $localize`${name}:name: (group)`,
    service: (name: string) => $localize`${name}:name: (program)`,
  };
  return computed(() =>
    (known.value()?.people ?? []).filter((p) => kinds.includes(p.kind)).map((p) => ({ value: p.id, name: words[p.kind](p.name) })),
  );
}
