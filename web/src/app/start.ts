import { bootstrapApplication } from '@angular/platform-browser';
import { App } from './app';
import { appConfig } from './app.config';

/** Draws the interface, in the language that was loaded before. */
export async function start(): Promise<void> {
  await bootstrapApplication(App, appConfig);
}
