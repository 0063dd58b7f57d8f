import { setup } from '@key-cellar/contract';
import { implement, type HttpApp } from '../http/implement.js';
import type { Services } from '../services.js';
import * as detectors from './detectors.js';
import * as entities from './entities.js';
import * as facts from './factStore.js';
import { namesOf } from './facts.js';
import * as types from './types.js';

/** Record types, parties and business objects, and what facts can point at. */
export function setupRoutes(app: HttpApp, services: Services): void {
  const { pool } = services;
  implement(app, services, setup.types, async ({ person }) => ({ types: await types.listTypes(services, person) }));
  implement(app, services, setup.type, ({ person, params }) => types.typePage(services, person, params.code));
  implement(app, services, setup.makeType, async ({ person, body }) => {
    await types.makeType(services, person, body);
    return {};
  });
  implement(app, services, setup.changeType, ({ person, params, body }) => types.changeType(services, person, params.code, body));
  implement(app, services, setup.retireType, async ({ person, params, body }) => {
    await types.retireType(services, person, params.code, body.retired);
    return {};
  });
  implement(app, services, setup.entities, ({ person, query }) => entities.listEntities(services, person, query.kind, query.text));
  implement(app, services, setup.entity, ({ person, params }) => entities.entityPage(services, person, params.id));
  implement(app, services, setup.makeEntity, async ({ person, body }) => ({ id: await entities.makeEntity(services, person, body) }));
  implement(app, services, setup.changeEntity, async ({ person, params, body }) => ({
    revision: await entities.changeEntity(services, person, params.id, body),
  }));
  implement(app, services, setup.addEntityEvent, ({ person, params, body }) => entities.addEntityEvent(services, person, params.id, body));
  implement(app, services, setup.options, async ({ person, query }) => {
    const access = await services.access.of(person);
    const text = query.text.trim();
    switch (query.kind) {
      case 'person':
        return { options: await facts.peopleLike(pool, text) };
      case 'party':
      case 'object':
        return { options: await facts.entitiesLike(pool, query.kind, text) };
      case 'place':
        return { options: await facts.placesLike(pool, text, access.sets('discover')) };
      case 'reference':
        return { options: text === '' ? [] : await facts.recordsLike(pool, text, access.sets('discover')) };
      default:
        return { options: [] };
    }
  });
  implement(app, services, setup.names, async ({ person, body }) => ({
    names: await namesOf(pool, await services.access.of(person), body.ids),
  }));
  implement(app, services, setup.detectors, ({ person }) => detectors.listDetectors(services, person));
  implement(app, services, setup.makeDetector, ({ person, body }) => detectors.makeDetector(services, person, body));
  implement(app, services, setup.changeDetector, ({ person, params, body }) => detectors.changeDetector(services, person, params.id, body));
}
