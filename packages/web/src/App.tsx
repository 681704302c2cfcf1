/** Routes: the list of projects, and one project with an area a route. Areas load when first visited. */
import { Suspense, lazy } from 'react';
import { BrowserRouter, Navigate, Route, Routes } from 'react-router';
import { SWRConfig } from 'swr';
import { fetcher } from './api.js';
import { ProjectShell } from './shell/ProjectShell.js';
import { ProjectsPage } from './areas/projects/ProjectsPage.js';
import { LogicArea } from './areas/logic/LogicArea.js';

const PlanArea = lazy(() => import('./areas/plan/PlanArea.js').then((m) => ({ default: m.PlanArea })));
const TagsArea = lazy(() => import('./areas/tags/TagsArea.js').then((m) => ({ default: m.TagsArea })));
const MachineArea = lazy(() => import('./areas/machine/MachineArea.js').then((m) => ({ default: m.MachineArea })));
const ProveArea = lazy(() => import('./areas/prove/ProveArea.js').then((m) => ({ default: m.ProveArea })));
const ControllerArea = lazy(() => import('./areas/controller/ControllerArea.js').then((m) => ({ default: m.ControllerArea })));

const RevisionsArea = lazy(() => import('./areas/revisions/RevisionsArea.js').then((m) => ({ default: m.RevisionsArea })));
const PrintArea = lazy(() => import('./areas/print/PrintArea.js').then((m) => ({ default: m.PrintArea })));

export function App() {
  return (
    <SWRConfig value={{ fetcher, revalidateOnFocus: true, shouldRetryOnError: true }}>
      <BrowserRouter>
        <Suspense fallback={null}>
          <Routes>
            <Route path="/" element={<ProjectsPage />} />
            <Route path="/projects/:id" element={<ProjectShell />}>
              <Route index element={<Navigate to="logic" replace />} />
              <Route path="plan" element={<PlanArea />} />
              <Route path="tags" element={<TagsArea />} />
              <Route path="logic" element={<LogicArea />} />
              <Route path="machine" element={<MachineArea />} />
              <Route path="prove" element={<ProveArea />} />
              <Route path="revisions" element={<RevisionsArea />} />
              <Route path="print" element={<PrintArea />} />
              <Route path="controller" element={<ControllerArea />} />
            </Route>
            <Route path="*" element={<Navigate to="/" replace />} />
          </Routes>
        </Suspense>
      </BrowserRouter>
    </SWRConfig>
  );
}
