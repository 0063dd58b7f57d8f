import { computed, inject, type Signal } from '@angular/core';
import { access, type ProfileLine } from '@key-cellar/contract';
import { Api } from './api';
import type { Option } from './choice';
import { loaded } from './loaded';

/** All profiles, those that ship first; and those to choose from for what is given now. Call in an injection context. */
export function profileChoices(): { readonly all: Signal<readonly ProfileLine[]>; readonly options: Signal<Option<string>[]> } {
  const api = inject(Api);
  const page = loaded(() => api.call(access.profiles));
  const all = computed(() => page.value()?.profiles ?? []);
  return { all, options: computed(() => all().flatMap((p) => (p.active ? [{ value: p.code, name: p.title }] : []))) };
}
