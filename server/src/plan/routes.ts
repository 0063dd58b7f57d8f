import { plan, setup, stencils, type StencilBody } from '@key-cellar/contract';
import { requireRight } from '../access/index.js';
import { withUnitOfWork } from '../db/index.js';
import { download, implement, type HttpApp } from '../http/implement.js';
import { declareUnder } from '../records/index.js';
import { setRule } from '../schedule/index.js';
import type { Services } from '../services.js';
import * as changes from './changes.js';
import { exportPlan } from './planExport.js';
import { importPlan } from './planTable.js';
import * as service from './service.js';
import * as stencil from './stencils.js';

export function planRoutes(app: HttpApp, services: Services): void {
  implement(app, services, plan.outline, async ({ person, query }) => ({
    places: await service.outline(services, person, query.folders ?? false),
  }));
  implement(app, services, plan.folders, ({ person, params }) => service.foldersOf(services, person, params.id));
  implement(app, services, plan.rack, async ({ person }) => ({ cells: await service.rack(services, person) }));
  implement(app, services, plan.place, ({ person, params }) => service.placePage(services, person, params.id));
  implement(app, services, plan.makePlace, async ({ person, body }) => ({ id: await service.makePlace(services, person, body) }));
  implement(app, services, plan.editPlace, async ({ person, params, body }) => ({
    revision: await changes.editPlace(services, person, params.id, body),
  }));
  implement(app, services, plan.movePlace, ({ person, params, body }) => changes.movePlace(services, person, params.id, body));
  implement(app, services, plan.mergePlace, ({ person, params, body }) => changes.mergePlace(services, person, params.id, body));
  implement(app, services, plan.reopenFolder, async ({ person, params, body }) => {
    await changes.reopenFolder(services, person, params.id, body.reason);
    return {};
  });
  implement(app, services, plan.retirePlace, async ({ person, params, body }) => {
    await changes.retirePlace(services, person, params.id, body.reason);
    return {};
  });
  implement(app, services, plan.exportPlan, async ({ person, query }) => download(await exportPlan(services, person, query.format)));
  implement(app, services, plan.importPlan, ({ person, body }) =>
    importPlan(services, person, { bytes: Buffer.from(body.data, 'base64'), format: body.format, dryRun: body.dryRun }),
  );
  implement(app, services, plan.placeByCode, ({ person, query }) => changes.placeByCode(services, person, query.code));
  implement(app, services, plan.closeFolder, async ({ person, params, body }) => {
    await service.closeFolder(services, person, params.id, body.on);
    return {};
  });
  implement(app, services, plan.recordEvent, async ({ person, params, body }) => ({
    id: await service.recordEvent(services, person, params.id, body),
  }));
  for (const [endpoint, set] of [
    [plan.setRule, true],
    [plan.unsetRule, false],
  ] as const) {
    implement(app, services, endpoint, async ({ person, params, body }) => {
      const { place, access } = await service.openPlace(services, person, params.id);
      requireRight(access, person, place, 'dispose', 'This place');
      return { recomputed: await setRule(services, person, place, body.ruleId, set) };
    });
  }
  implement(app, services, setup.placeFacts, async ({ person, params, body }) => ({
    revision: await changes.setPlaceFacts(services, person, params.id, body),
  }));
  implement(app, services, setup.placeTakes, async ({ person, params, body }) => ({
    revision: await changes.setPlaceTakes(services, person, params.id, body),
  }));
  implement(app, services, stencils.list, async ({ person }) => ({ stencils: await stencil.listStencils(services, person) }));
  implement(app, services, stencils.stencil, ({ person, params }) => stencil.stencilPage(services, person, params.id));
  implement(app, services, stencils.make, async ({ person, body }) => ({ id: await stencil.makeStencil(services, person, body) }));
  implement(app, services, stencils.fromFolder, async ({ person, body }) => {
    const { title, definition } = await stencil.fromFolder(services, person, body.placeId);
    return { title, definition: definition as StencilBody };
  });
  implement(app, services, stencils.change, ({ person, params, body }) => stencil.changeStencil(services, person, params.id, body));
  implement(app, services, stencils.readUses, async ({ person, params, body }) => ({
    uses: await stencil.readUses(services, person, params.id, { bytes: Buffer.from(body.data, 'base64'), format: body.format }),
  }));
  implement(app, services, stencils.apply, async ({ person, params, body }) => ({
    results: await stencil.applyStencil(services, person, params.id, body),
  }));
  implement(app, services, stencils.applyTo, async ({ person, params, body }) => ({
    results: await stencil.applyToFolders(services, person, params.id, body),
  }));
  implement(app, services, stencils.bring, async ({ person, params, body }) => ({
    results: await stencil.bringStencil(services, person, params.id, body),
  }));
  implement(app, services, plan.declareInside, async ({ person, params }) => {
    const { place, access } = await service.openPlace(services, person, params.id);
    requireRight(access, person, place, 'declare', 'This place');
    return { results: await withUnitOfWork(services.pool, person, (uow) => declareUnder(services, uow, params.id)) };
  });
}
