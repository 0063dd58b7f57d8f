import { inject } from '@angular/core';
import { Router, type CanActivateFn, type Routes } from '@angular/router';
import { map } from 'rxjs';
import { Session } from './identity/session';
import { asksWhenUnsaved } from './kit/unsaved';

const signedIn: CanActivateFn = (_route, state) => {
  const router = inject(Router);
  return inject(Session)
    .ensure()
    .pipe(
      map((me) => {
        if (!me) return router.createUrlTree(['/sign-in'], { queryParams: { back: state.url } });
        return me.secondFactorNeeded ? router.createUrlTree(['/second-factor']) : true;
      }),
    );
};

export const routes: Routes = [
  { path: 'sign-in', title: 'Sign in · Key Cellar', loadComponent: () => import('./identity/signIn').then((m) => m.SignIn) },
  {
    path: 'sign-in/from/:id',
    title: 'Sign in · Key Cellar',
    loadComponent: () => import('./identity/fromProvider').then((m) => m.FromProvider),
  },
  { path: 'welcome', title: 'Welcome · Key Cellar', loadComponent: () => import('./identity/welcome').then((m) => m.Welcome) },
  {
    path: 'second-factor',
    title: 'Second factor · Key Cellar',
    loadComponent: () => import('./identity/secondFactorPage').then((m) => m.SecondFactorPage),
  },
  { path: 'pass', title: 'Visit · Key Cellar', loadComponent: () => import('./passes/visitorPage').then((m) => m.VisitorPage) },
  {
    path: 'answers/:token',
    title: 'Still needed? · Key Cellar',
    loadComponent: () => import('./docket/letterPage').then((m) => m.LetterPage),
  },
  {
    path: '',
    canActivate: [signedIn],
    loadComponent: () => import('./shell').then((m) => m.Shell),
    children: [
      { path: '', pathMatch: 'full', redirectTo: 'today' },
      { path: 'today', title: 'Today · Key Cellar', loadComponent: () => import('./reports/today').then((m) => m.Today) },
      {
        path: 'receiving',
        title: 'Receiving · Key Cellar',
        loadComponent: () => import('./receiving/receivingPage').then((m) => m.ReceivingPage),
      },
      { path: 'plan', title: 'Plan · Key Cellar', loadComponent: () => import('./plan/planPage').then((m) => m.PlanPage) },
      {
        path: 'setup/numbering',
        title: 'Numbering · Key Cellar',
        loadComponent: () => import('./plan/numberingPage').then((m) => m.NumberingPage),
      },
      {
        path: 'plan/stencils',
        title: 'Stencils · Key Cellar',
        loadComponent: () => import('./plan/stencilsPage').then((m) => m.StencilsPage),
      },
      {
        path: 'plan/stencils/new',
        title: 'New stencil · Key Cellar',
        canDeactivate: [asksWhenUnsaved],
        loadComponent: () => import('./plan/stencilPage').then((m) => m.StencilPage),
      },
      {
        path: 'plan/stencils/:id',
        title: 'Stencil · Key Cellar',
        canDeactivate: [asksWhenUnsaved],
        loadComponent: () => import('./plan/stencilPage').then((m) => m.StencilPage),
      },
      { path: 'plan/:id', title: 'Place · Key Cellar', loadComponent: () => import('./plan/placePage').then((m) => m.PlacePage) },
      { path: 'find', title: 'Find · Key Cellar', loadComponent: () => import('./records/findPage').then((m) => m.FindPage) },
      {
        path: 'records/:id',
        title: 'Record · Key Cellar',
        loadComponent: () => import('./records/dossierPage').then((m) => m.DossierPage),
      },
      {
        path: 'schedule',
        title: 'Schedule · Key Cellar',
        loadComponent: () => import('./schedule/schedulePage').then((m) => m.SchedulePage),
      },
      {
        path: 'schedule/new',
        title: 'New rule · Key Cellar',
        canDeactivate: [asksWhenUnsaved],
        loadComponent: () => import('./schedule/rulePage').then((m) => m.RulePage),
      },
      {
        path: 'schedule/types',
        title: 'Rules by type · Key Cellar',
        loadComponent: () => import('./schedule/pairsPage').then((m) => m.PairsPage),
      },
      {
        path: 'schedule/criteria',
        title: 'Rules by criteria · Key Cellar',
        loadComponent: () => import('./schedule/criteriaPage').then((m) => m.CriteriaPage),
      },
      {
        path: 'schedule/jurisdictions',
        title: 'Jurisdictions · Key Cellar',
        loadComponent: () => import('./schedule/jurisdictionsPage').then((m) => m.JurisdictionsPage),
      },
      {
        path: 'schedule/lists',
        title: 'Events and years · Key Cellar',
        loadComponent: () => import('./schedule/listsPage').then((m) => m.ListsPage),
      },
      {
        path: 'schedule/waiting',
        title: 'Waiting · Key Cellar',
        loadComponent: () => import('./schedule/waitingPage').then((m) => m.WaitingPage),
      },
      {
        path: 'schedule/forecast',
        title: 'Thirty years ahead · Key Cellar',
        loadComponent: () => import('./schedule/forecastPage').then((m) => m.ForecastPage),
      },
      {
        path: 'schedule/check',
        title: 'Check of the schedule · Key Cellar',
        loadComponent: () => import('./schedule/checkPage').then((m) => m.CheckPage),
      },
      {
        path: 'schedule/:id',
        title: 'Rule · Key Cellar',
        canDeactivate: [asksWhenUnsaved],
        loadComponent: () => import('./schedule/rulePage').then((m) => m.RulePage),
      },
      { path: 'setup', title: 'Record types · Key Cellar', loadComponent: () => import('./records/typesPage').then((m) => m.TypesPage) },
      {
        path: 'setup/types/:code',
        title: 'Record type · Key Cellar',
        canDeactivate: [asksWhenUnsaved],
        loadComponent: () => import('./records/typePage').then((m) => m.TypePage),
      },
      {
        path: 'setup/parties',
        title: 'Parties · Key Cellar',
        data: { kind: 'party' },
        loadComponent: () => import('./records/entitiesPage').then((m) => m.EntitiesPage),
      },
      {
        path: 'setup/objects',
        title: 'Business objects · Key Cellar',
        data: { kind: 'object' },
        loadComponent: () => import('./records/entitiesPage').then((m) => m.EntitiesPage),
      },
      {
        path: 'setup/detectors',
        title: 'Detectors · Key Cellar',
        loadComponent: () => import('./records/detectorsPage').then((m) => m.DetectorsPage),
      },
      {
        path: 'setup/packages',
        title: 'Packages and tables · Key Cellar',
        loadComponent: () => import('./exchange/packagesPage').then((m) => m.PackagesPage),
      },
      {
        path: 'setup/people',
        title: 'People and groups · Key Cellar',
        loadComponent: () => import('./people/peoplePage').then((m) => m.PeoplePage),
      },
      {
        path: 'setup/people/:id',
        title: 'Person · Key Cellar',
        loadComponent: () => import('./people/personPage').then((m) => m.PersonPage),
      },
      {
        path: 'setup/providers',
        title: 'Sign-in and programs · Key Cellar',
        loadComponent: () => import('./people/providersPage').then((m) => m.ProvidersPage),
      },
      { path: 'setup/mail', title: 'Mail · Key Cellar', loadComponent: () => import('./people/mailPage').then((m) => m.MailPage) },
      {
        path: 'setup/outside',
        title: 'Outside · Key Cellar',
        loadComponent: () => import('./reports/outsidePage').then((m) => m.OutsidePage),
      },
      {
        path: 'setup/acts',
        title: 'Who can do what · Key Cellar',
        loadComponent: () => import('./access/actsPage').then((m) => m.ActsPage),
      },
      {
        path: 'setup/about/:id',
        title: 'About · Key Cellar',
        loadComponent: () => import('./records/entityPage').then((m) => m.EntityPage),
      },
      { path: 'holds', title: 'Holds · Key Cellar', loadComponent: () => import('./holds/holdsPage').then((m) => m.HoldsPage) },
      { path: 'holds/:id', title: 'Hold · Key Cellar', loadComponent: () => import('./holds/holdPage').then((m) => m.HoldPage) },
      {
        path: 'questions',
        title: 'Still needed? · Key Cellar',
        loadComponent: () => import('./docket/tasksPage').then((m) => m.TasksPage),
      },
      { path: 'docket', title: 'Docket · Key Cellar', loadComponent: () => import('./docket/docketPage').then((m) => m.DocketPage) },
      { path: 'docket/:id', title: 'Batch · Key Cellar', loadComponent: () => import('./docket/batchPage').then((m) => m.BatchPage) },
      { path: 'access', title: 'Access · Key Cellar', loadComponent: () => import('./access/matrixPage').then((m) => m.MatrixPage) },
      {
        path: 'access/compare',
        title: 'Access side by side · Key Cellar',
        loadComponent: () => import('./access/comparePage').then((m) => m.ComparePage),
      },
      {
        path: 'access/reach',
        title: 'Who can reach it · Key Cellar',
        loadComponent: () => import('./access/reachPage').then((m) => m.ReachPage),
      },
      {
        path: 'access/asked',
        title: 'Access that is asked for · Key Cellar',
        loadComponent: () => import('./access/raisesPage').then((m) => m.RaisesPage),
      },
      {
        path: 'access/tags',
        title: 'Access tags · Key Cellar',
        loadComponent: () => import('./people/tagsPage').then((m) => m.TagsPage),
      },
      {
        path: 'access/tags/:id',
        title: 'Access tag · Key Cellar',
        loadComponent: () => import('./people/tagPage').then((m) => m.TagPage),
      },
      {
        path: 'access/profiles',
        title: 'Profiles · Key Cellar',
        loadComponent: () => import('./access/profilesPage').then((m) => m.ProfilesPage),
      },
      {
        path: 'access/reviews',
        title: 'Reviews of access · Key Cellar',
        loadComponent: () => import('./access/reviewsPage').then((m) => m.ReviewsPage),
      },
      {
        path: 'access/reviews/:id',
        title: 'Review of access · Key Cellar',
        loadComponent: () => import('./access/reviewPage').then((m) => m.ReviewPage),
      },
      {
        path: 'access/look',
        title: 'Access to look at · Key Cellar',
        loadComponent: () => import('./access/findingsPage').then((m) => m.FindingsPage),
      },
      {
        path: 'access/passes',
        title: 'Visitor passes · Key Cellar',
        loadComponent: () => import('./passes/passesPage').then((m) => m.PassesPage),
      },
      {
        path: 'access/people/:id',
        title: 'What someone can reach · Key Cellar',
        loadComponent: () => import('./access/personReachPage').then((m) => m.PersonReachPage),
      },
      { path: 'proof', title: 'Proof · Key Cellar', loadComponent: () => import('./ledger/proofPage').then((m) => m.ProofPage) },
      {
        path: 'messages',
        title: 'Messages · Key Cellar',
        loadComponent: () => import('./identity/messagesPage').then((m) => m.MessagesPage),
      },
      { path: '**', title: 'Not found · Key Cellar', loadComponent: () => import('./notFound').then((m) => m.NotFound) },
    ],
  },
];
