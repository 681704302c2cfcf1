/** Routes: the list of projects, and one project with an area a route. Areas load when first visited. */
import { later } from './components/later.js';
import { BrowserRouter, Navigate, Route, Routes } from 'react-router';
import { SWRConfig } from 'swr';
import { fetcher } from './api.js';
import { ProjectShell } from './shell/ProjectShell.js';
import { ProjectsPage } from './areas/projects/ProjectsPage.js';
import { LogicArea } from './areas/logic/LogicArea.js';

const PlanArea = later(() => import('./areas/plan/PlanArea.js').then((m) => m.PlanArea));
const TagsArea = later(() => import('./areas/tags/TagsArea.js').then((m) => m.TagsArea));
const MachineArea = later(() => import('./areas/machine/MachineArea.js').then((m) => m.MachineArea));
const ProveArea = later(() => import('./areas/prove/ProveArea.js').then((m) => m.ProveArea));
const ControllerArea = later(() => import('./areas/controller/ControllerArea.js').then((m) => m.ControllerArea));

const RevisionsArea = later(() => import('./areas/revisions/RevisionsArea.js').then((m) => m.RevisionsArea));
const TimingArea = later(() => import('./areas/timing/TimingArea.js').then((m) => m.TimingArea));
const BoardArea = later(() => import('./areas/board/BoardArea.js').then((m) => m.BoardArea));
const PrintArea = later(() => import('./areas/print/PrintArea.js').then((m) => m.PrintArea));

export function App() {
  return (
    // Lists that are asked for every two seconds are: the time in which one answer serves all is far below that.
    <SWRConfig value={{ fetcher, revalidateOnFocus: true, shouldRetryOnError: true, dedupingInterval: 500 }}>
      {/* Not as a transition: the bench changes what is shown sixty times a second, and each time React would begin the new area anew. */}
      <BrowserRouter useTransitions={false}>
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
            <Route path="board" element={<BoardArea />} />
            <Route path="timing" element={<TimingArea />} />
            <Route path="controller" element={<ControllerArea />} />
          </Route>
          <Route path="*" element={<Navigate to="/" replace />} />
        </Routes>
      </BrowserRouter>
    </SWRConfig>
  );
}
