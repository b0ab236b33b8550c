import { createRootRoute, createRoute, createRouter } from "@tanstack/react-router";
import { BatchesPage } from "./batch/BatchesPage";
import { BatchPage } from "./batch/BatchPage";
import { FoldersPage } from "./folders/FoldersPage";
import { Frame } from "./frame/Frame";
import { JournalPage } from "./journal/JournalPage";
import { MovePage } from "./move/MovePage";
import { NotFound } from "./parts/NotFound";
import { PlanPage } from "./plan/PlanPage";
import { ServicesPage } from "./services/ServicesPage";
import { SurveyPage } from "./survey/SurveyPage";
import { TodayPage } from "./today/TodayPage";

const root = createRootRoute({ component: Frame, notFoundComponent: NotFound });

const routes = [
  createRoute({ getParentRoute: () => root, path: "/", component: TodayPage }),
  createRoute({ getParentRoute: () => root, path: "/batches", component: BatchesPage }),
  createRoute({ getParentRoute: () => root, path: "/batches/$batch", component: BatchPage }),
  createRoute({ getParentRoute: () => root, path: "/batches/$batch/moves/$account", component: MovePage }),
  createRoute({ getParentRoute: () => root, path: "/batches/$batch/survey", component: SurveyPage }),
  createRoute({ getParentRoute: () => root, path: "/batches/$batch/folders", component: FoldersPage }),
  createRoute({ getParentRoute: () => root, path: "/plan", component: PlanPage }),
  createRoute({ getParentRoute: () => root, path: "/services", component: ServicesPage }),
  createRoute({ getParentRoute: () => root, path: "/journal", component: JournalPage }),
];

export const router = createRouter({ routeTree: root.addChildren(routes), scrollRestoration: true });

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
