// Addresses. Views are loaded when they are opened.
import { lazy } from "react";
import { createBrowserRouter, Navigate, useRouteError } from "react-router";
import { Trouble } from "@/ui/basics";
import { Shell } from "./shell";

const Overview = lazy(() => import("@/features/overview/overview"));
const Systems = lazy(() => import("@/features/systems/systems"));
const ConnectSystem = lazy(() => import("@/features/systems/connect"));
const SystemView = lazy(() => import("@/features/systems/system"));
const ArtefactView = lazy(() => import("@/features/systems/artefact"));
const Routes = lazy(() => import("@/features/routes/routes"));
const NewRoute = lazy(() => import("@/features/routes/new-route"));
const RouteFrame = lazy(() => import("@/features/route/frame"));
const Ends = lazy(() => import("@/features/route/ends"));
const Counterparts = lazy(() => import("@/features/counterparts/counterparts"));
const Conflicts = lazy(() => import("@/features/conflicts/conflicts"));
const Record = lazy(() => import("@/features/record/record"));
const Keys = lazy(() => import("@/features/keys/keys"));
const Versions = lazy(() => import("@/features/route/versions"));
const Scope = lazy(() => import("@/features/scope/scope"));
const Rules = lazy(() => import("@/features/rules/rules"));
const DryRun = lazy(() => import("@/features/dry-run/dry-run"));
const Transfer = lazy(() => import("@/features/transfer/transfer"));
const Proof = lazy(() => import("@/features/proof/proof"));

function Failed() {
  return (
    <div className="p-8">
      <Trouble error={useRouteError()} />
    </div>
  );
}

function Nowhere() {
  return (
    <div className="p-14 text-center">
      <h1 className="text-[15px] font-semibold">Page not found</h1>
      <p className="text-ink-2">The address may be mistyped, or what it showed was removed.</p>
    </div>
  );
}

export const router = createBrowserRouter([
  {
    element: <Shell />,
    errorElement: <Failed />,
    children: [
      { path: "/", element: <Overview /> },
      { path: "/systems", element: <Systems /> },
      { path: "/systems/new", element: <ConnectSystem /> },
      { path: "/systems/:id", element: <SystemView /> },
      { path: "/systems/:id/item", element: <ArtefactView /> },
      { path: "/routes", element: <Routes /> },
      { path: "/routes/new", element: <NewRoute /> },
      {
        path: "/routes/:id",
        element: <RouteFrame />,
        children: [
          { index: true, element: <Navigate to="ends" replace /> },
          { path: "ends", element: <Ends /> },
          { path: "scope", element: <Scope /> },
          { path: "rules", element: <Rules /> },
          { path: "dry-run", element: <DryRun /> },
          { path: "transfer", element: <Transfer /> },
          { path: "proof", element: <Proof /> },
          { path: "counterparts", element: <Counterparts /> },
          { path: "versions", element: <Versions /> },
        ],
      },
      { path: "/conflicts", element: <Conflicts /> },
      { path: "/record", element: <Record /> },
      { path: "/keys", element: <Keys /> },
      { path: "*", element: <Nowhere /> },
    ],
  },
]);
