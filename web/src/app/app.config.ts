import { provideHttpClient, withFetch, withInterceptors } from '@angular/common/http';
import { type ApplicationConfig, inject, LOCALE_ID, provideBrowserGlobalErrorListeners } from '@angular/core';
import { provideRouter, withComponentInputBinding, withInMemoryScrolling, withRouterConfig } from '@angular/router';
import { providePrimeNG } from 'primeng/config';
import { localeOf } from '../words/language';
import { routes } from './app.routes';
import { Session } from './identity/index';
import { controlNames, controlWords } from './kit/controlWords';
import { preset } from './kit/preset';
import { REPOSITORY_DAY } from './kit/repositoryDay';

const nonce = document.querySelector('[ngCspNonce]')?.getAttribute('ngCspNonce') ?? '';

export const appConfig: ApplicationConfig = {
  providers: [
    { provide: LOCALE_ID, useValue: localeOf },
    provideBrowserGlobalErrorListeners(),
    provideRouter(
      routes,
      withComponentInputBinding(),
      withInMemoryScrolling({ scrollPositionRestoration: 'enabled', anchorScrolling: 'enabled' }),
      // Who goes back and then stays on a page with unsaved work keeps the way back.
      withRouterConfig({ canceledNavigationResolution: 'computed' }),
    ),
    // A header that no form of another site can send.
    provideHttpClient(withFetch(), withInterceptors([(request, next) => next(request.clone({ setHeaders: { 'x-key-cellar': '1' } }))])),
    { provide: REPOSITORY_DAY, useFactory: () => inject(Session).today },
    providePrimeNG({
      csp: { nonce },
      ripple: false,
      translation: controlWords,
      pt: controlNames,
      theme: {
        preset,
        options: { darkModeSelector: '[data-theme=dark]', cssLayer: { name: 'primeng', order: 'theme, base, primeng, app' } },
      },
    }),
  ],
};
