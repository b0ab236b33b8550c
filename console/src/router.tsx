import { createRootRoute, createRoute, createRouter, lazyRouteComponent } from "@tanstack/react-router";
import { readFilters } from "./batch/filters";
import { Frame } from "./frame/Frame";
import { readSearch } from "./frame/searchInAddress";
import { readParcel } from "./parcels/address";
import { Loading } from "./parts/Loading";
import { NotFound } from "./parts/NotFound";
import { readSurveyAddress } from "./survey/address";

const root = createRootRoute({ component: Frame, notFoundComponent: NotFound });

const at = <const Path extends string>(path: Path) => ({ getParentRoute: () => root, path });

// Each page is loaded when it is first opened, or as soon as somebody points at a link to it.
const routes = [
  createRoute({ ...at("/"), component: lazyRouteComponent(() => import("./today/TodayPage"), "TodayPage") }),
  createRoute({ ...at("/batches"), component: lazyRouteComponent(() => import("./batch/BatchesPage"), "BatchesPage") }),
  createRoute({
    ...at("/batches/$batch"),
    validateSearch: readFilters,
    component: lazyRouteComponent(() => import("./batch/BatchPage"), "BatchPage"),
  }),
  createRoute({
    ...at("/batches/$batch/moves/$account"),
    component: lazyRouteComponent(() => import("./move/MovePage"), "MovePage"),
  }),
  createRoute({
    ...at("/batches/$batch/survey"),
    validateSearch: readSurveyAddress,
    component: lazyRouteComponent(() => import("./survey/SurveyPage"), "SurveyPage"),
  }),
  createRoute({
    ...at("/batches/$batch/timetable"),
    component: lazyRouteComponent(() => import("./timetable/TimetablePage"), "TimetablePage"),
  }),
  createRoute({
    ...at("/batches/$batch/crossing"),
    component: lazyRouteComponent(() => import("./crossing/CrossingPage"), "CrossingPage"),
  }),
  createRoute({
    ...at("/batches/$batch/aftercare"),
    component: lazyRouteComponent(() => import("./crossing/AftercarePage"), "AftercarePage"),
  }),
  createRoute({
    ...at("/batches/$batch/folders"),
    component: lazyRouteComponent(() => import("./folders/FoldersPage"), "FoldersPage"),
  }),
  createRoute({
    ...at("/batches/$batch/collections"),
    component: lazyRouteComponent(() => import("./collections/CollectionsPage"), "CollectionsPage"),
  }),
  createRoute({
    ...at("/batches/$batch/moves/$account/items/$item"),
    component: lazyRouteComponent(() => import("./move/ItemPage"), "ItemPage"),
  }),
  createRoute({ ...at("/plan"), component: lazyRouteComponent(() => import("./plan/PlanPage"), "PlanPage") }),
  createRoute({
    ...at("/services"),
    component: lazyRouteComponent(() => import("./services/ServicesPage"), "ServicesPage"),
  }),
  createRoute({
    ...at("/parcels"),
    component: lazyRouteComponent(() => import("./parcels/ParcelsPage"), "ParcelsPage"),
  }),
  createRoute({
    ...at("/parcels/look"),
    validateSearch: readParcel,
    component: lazyRouteComponent(() => import("./parcels/ParcelPage"), "ParcelPage"),
  }),
  createRoute({
    ...at("/notices"),
    validateSearch: readSearch,
    component: lazyRouteComponent(() => import("./notices/NoticesPage"), "NoticesPage"),
  }),
  createRoute({
    ...at("/access"),
    component: lazyRouteComponent(() => import("./access/AccessPage"), "AccessPage"),
  }),
  createRoute({
    ...at("/journal"),
    validateSearch: readSearch,
    component: lazyRouteComponent(() => import("./journal/JournalPage"), "JournalPage"),
  }),
];

export const router = createRouter({
  routeTree: root.addChildren(routes),
  scrollRestoration: true,
  defaultPreload: "intent",
  defaultPendingComponent: Loading,
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
