import { reports } from '@key-cellar/contract';
import { implement, type HttpApp } from '../http/implement.js';
import type { Services } from '../services.js';
import * as service from './service.js';

export function reportsRoutes(app: HttpApp, services: Services): void {
  implement(app, services, reports.today, ({ person }) => service.todayPage(services, person));
  implement(app, services, reports.ask, async ({ person, query }) => ({
    suggestions: await service.ask(services, person, query.text),
  }));
}
