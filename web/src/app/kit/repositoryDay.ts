import { InjectionToken, type Signal } from '@angular/core';

/** The repository’s date, YYYY-MM-DD; empty until somebody is signed in. */
export const REPOSITORY_DAY = new InjectionToken<Signal<string>>('the date of the repository');
