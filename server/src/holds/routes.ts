import { holds } from '@key-cellar/contract';
import { implement, type HttpApp } from '../http/implement.js';
import type { Services } from '../services.js';
import * as service from './service.js';

export function holdsRoutes(app: HttpApp, services: Services): void {
  implement(app, services, holds.matters, async ({ person }) => ({ matters: await service.listMatters(services, person) }));
  implement(app, services, holds.makeMatter, async ({ person, body }) => ({ id: await service.makeMatter(services, person, body) }));
  implement(app, services, holds.countScope, ({ person, body }) => service.countScope(services, person, body.criteria));
  implement(app, services, holds.placeHold, ({ person, body }) => service.placeHold(services, person, body));
  implement(app, services, holds.hold, ({ person, params }) => service.holdPage(services, person, params.id));
  implement(app, services, holds.addRecords, ({ person, params, body }) => service.addRecords(services, person, params.id, body.recordIds));
  implement(app, services, holds.letOut, async ({ person, params, body }) => ({
    released: await service.letOut(services, person, params.id, body.recordIds, body.reason),
  }));
  implement(app, services, holds.release, async ({ person, params, body }) => ({
    released: await service.release(services, person, params.id, body.reason),
  }));
  implement(app, services, holds.acknowledge, async ({ person, params }) => {
    await service.acknowledge(services, person, params.id);
    return {};
  });
  implement(app, services, holds.remind, async ({ person, params }) => ({
    reminded: await service.remind(services, person, params.id),
  }));
}
