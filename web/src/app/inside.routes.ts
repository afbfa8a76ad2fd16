import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { materialDefaults } from '../parts/material-defaults';
import { leaveWhenKept } from '../parts/unsaved';
import { Shell } from '../shell/shell';
import { showTold } from '../shell/told-here';
import { developmentRoutes } from './development.routes';

/** What lies behind the door. Loaded of its own, so that Material's parts are not fetched by who only signs in or looks on. */
export const inside: Routes = [
  {
    path: '',
    component: Shell,
    providers: [materialDefaults, provideEffects({ showTold })],
    children: [
      { path: '', pathMatch: 'full', redirectTo: 'watch' },
      { path: 'plan', title: 'Plan · Dew Post', loadComponent: () => import('../plan/sheet/sheets').then((m) => m.Sheets) },
      {
        path: 'plan/site',
        title: 'Site plan · Dew Post',
        loadComponent: () => import('../plan/site/site-plan').then((m) => m.SitePlanPage),
      },
      {
        path: 'plan/survey',
        title: 'Survey walk · Dew Post',
        loadComponent: () => import('../plan/site/survey').then((m) => m.SurveyWalk),
      },
      {
        path: 'plan/build/:node',
        title: 'Building · Dew Post',
        loadComponent: () => import('../plan/sheet/assembly').then((m) => m.Assembly),
      },
      {
        path: 'plan/addresses',
        title: 'Addresses · Dew Post',
        canDeactivate: [leaveWhenKept],
        loadComponent: () => import('../plan/addresses/addresses').then((m) => m.Addresses),
      },
      {
        path: 'plan/catalogue',
        title: 'Catalogue · Dew Post',
        canDeactivate: [leaveWhenKept],
        loadComponent: () => import('../plan/catalogue/catalogue').then((m) => m.CataloguePage),
      },
      { path: 'plan/checks', title: 'Checks · Dew Post', loadComponent: () => import('../plan/checks/checks').then((m) => m.SiteChecks) },
      { path: 'plan/sums', title: 'Traffic and cost · Dew Post', loadComponent: () => import('../plan/sums/sums').then((m) => m.Sums) },
      {
        path: 'plan/sheet/:slug',
        title: 'Build sheet · Dew Post',
        loadComponent: () => import('../plan/sheet/sheet-editor').then((m) => m.SheetEditor),
      },
      { path: 'provision', title: 'Bench · Dew Post', loadComponent: () => import('../provision/bench/bench').then((m) => m.Bench) },
      {
        path: 'provision/listen',
        title: 'Listen · Dew Post',
        loadComponent: () => import('../provision/listen/listen-page').then((m) => m.ListenPage),
      },
      {
        path: 'provision/firmware',
        title: 'Firmware · Dew Post',
        loadComponent: () => import('../provision/firmware').then((m) => m.FirmwarePage),
      },
      {
        path: 'provision/sources',
        title: 'Sources · Dew Post',
        loadComponent: () => import('../provision/sources/sources').then((m) => m.Sources),
      },
      {
        path: 'provision/adopted',
        title: 'Adopted · Dew Post',
        canDeactivate: [leaveWhenKept],
        loadComponent: () => import('../provision/adopted/adopted').then((m) => m.AdoptedPage),
      },
      {
        path: 'provision/readers',
        title: 'Reading accounts · Dew Post',
        loadComponent: () => import('../provision/adopted/readers').then((m) => m.ReadersPage),
      },
      {
        path: 'provision/forward',
        title: 'Forwarding · Dew Post',
        loadComponent: () => import('../provision/forward/forward-page').then((m) => m.ForwardPage),
      },
      { path: 'provision/fit', title: 'Fit · Dew Post', loadComponent: () => import('../provision/fit/fit-list').then((m) => m.FitList) },
      {
        path: 'provision/fit-round',
        title: 'Fitting round · Dew Post',
        loadComponent: () => import('../provision/fit/fit-round').then((m) => m.FitRound),
      },
      { path: 'provision/fit/:node', title: 'Fit · Dew Post', loadComponent: () => import('../provision/fit/fit').then((m) => m.Fit) },
      {
        path: 'provision/rollouts',
        title: 'Rollouts · Dew Post',
        loadComponent: () => import('../provision/rollouts').then((m) => m.Rollouts),
      },
      {
        path: 'provision/configurations',
        title: 'Configurations · Dew Post',
        loadComponent: () => import('../provision/configurations').then((m) => m.Configurations),
      },
      { path: 'provision/labels', title: 'Labels · Dew Post', loadComponent: () => import('../provision/labels').then((m) => m.Labels) },
      {
        path: 'provision/report',
        title: 'Report · Dew Post',
        loadComponent: () => import('../provision/report').then((m) => m.ReportPage),
      },
      { path: 'provision/ledger', title: 'Ledger · Dew Post', loadComponent: () => import('../provision/ledger').then((m) => m.Ledger) },
      { path: 'calibrate', title: 'Calibrate · Dew Post', loadComponent: () => import('../calibrate/calibrate').then((m) => m.Calibrate) },
      {
        path: 'calibrate/side-by-side',
        title: 'Side by side · Dew Post',
        loadComponent: () => import('../calibrate/side-by-side-page').then((m) => m.SideBySidePage),
      },
      {
        path: 'calibrate/records',
        title: 'Records · Dew Post',
        loadComponent: () => import('../calibrate/records-page').then((m) => m.RecordsPage),
      },
      {
        path: 'calibrate/references',
        title: 'References · Dew Post',
        canDeactivate: [leaveWhenKept],
        loadComponent: () => import('../calibrate/references-page').then((m) => m.ReferencesPage),
      },
      { path: 'watch', title: 'Watch · Dew Post', loadComponent: () => import('../watch/dashboard').then((m) => m.DashboardPage) },
      {
        path: 'watch/points',
        title: 'Points · Dew Post',
        loadComponent: () => import('../watch/point/point-page').then((m) => m.PointPage),
      },
      {
        path: 'watch/points/:node/:point',
        title: 'Point · Dew Post',
        loadComponent: () => import('../watch/point/point-page').then((m) => m.PointPage),
      },
      {
        path: 'watch/computed',
        title: 'Computed · Dew Post',
        loadComponent: () => import('../watch/computed/computed-page').then((m) => m.ComputedPage),
      },
      {
        path: 'watch/quality',
        title: 'Quality · Dew Post',
        loadComponent: () => import('../watch/quality/quality-page').then((m) => m.QualityPage),
      },
      {
        path: 'watch/import',
        title: 'Import · Dew Post',
        loadComponent: () => import('../watch/import/import-page').then((m) => m.ImportPage),
      },
      {
        path: 'watch/import/:id',
        title: 'Import · Dew Post',
        loadComponent: () => import('../watch/import/import-page').then((m) => m.ImportPage),
      },
      { path: 'watch/:slug', title: 'Watch · Dew Post', loadComponent: () => import('../watch/dashboard').then((m) => m.DashboardPage) },
      { path: 'respond', title: 'Alerts · Dew Post', loadComponent: () => import('../respond/alerts').then((m) => m.Alerts) },
      {
        path: 'respond/thresholds',
        title: 'Thresholds · Dew Post',
        loadComponent: () => import('../respond/thresholds').then((m) => m.Thresholds),
      },
      {
        path: 'respond/notices',
        title: 'Notices · Dew Post',
        loadComponent: () => import('../respond/notices').then((m) => m.NoticesPage),
      },
      {
        path: 'respond/counts',
        title: 'Counts · Dew Post',
        loadComponent: () => import('../respond/counts/counts-page').then((m) => m.CountsPage),
      },
      { path: 'respond/ways', title: 'Ways · Dew Post', loadComponent: () => import('../respond/ways/ways').then((m) => m.WaysPage) },
      {
        path: 'respond/routes',
        title: 'Routes · Dew Post',
        canDeactivate: [leaveWhenKept],
        loadComponent: () => import('../respond/routes/routes-page').then((m) => m.RoutesPage),
      },
      {
        path: 'respond/trip-tests',
        title: 'Trip tests · Dew Post',
        loadComponent: () => import('../respond/trip/trip-page').then((m) => m.TripPage),
      },
      {
        path: 'respond/drills',
        title: 'Drills · Dew Post',
        loadComponent: () => import('../respond/trip/drills-page').then((m) => m.DrillsPage),
      },
      { path: 'respond/relays', title: 'Relays · Dew Post', loadComponent: () => import('../respond/relays').then((m) => m.Relays) },
      { path: 'upkeep', title: 'Upkeep · Dew Post', loadComponent: () => import('../upkeep/node-log').then((m) => m.NodeLogPage) },
      {
        path: 'upkeep/site/kept',
        title: 'What is kept · Dew Post',
        loadComponent: () => import('../upkeep/kept/kept-page').then((m) => m.KeptPage),
      },
      { path: 'upkeep/:node', title: 'Upkeep · Dew Post', loadComponent: () => import('../upkeep/node-log').then((m) => m.NodeLogPage) },
      {
        path: 'accounts',
        title: 'Accounts · Dew Post',
        canDeactivate: [leaveWhenKept],
        loadComponent: () => import('../access/accounts').then((m) => m.Accounts),
      },
      {
        path: 'reaching',
        title: 'Reaching · Dew Post',
        loadComponent: () => import('../reaching/reaching').then((m) => m.ReachingPage),
      },
      ...developmentRoutes,
    ],
  },
];
