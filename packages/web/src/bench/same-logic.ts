import type { Project } from '@ferrule/core/document';

/**
 * Whether two versions of a project run alike, so that the time line goes on as it was: descriptions, comments, watch
 * lists, checks, places and pictures are none of its business.
 */
export function sameLogic(a: Project, b: Project): boolean {
  const runs = (p: Project) =>
    JSON.stringify([
      p.tags.map(
        ({ description: _, unit: _u, range: _r, valueNames: _v, access: _a, modbus: _m, wiring: _w, ...t }) => t,
      ),
      p.types,
      p.pous.map((x) =>
        x.language === 'ST' ? x.text : [x.name, x.kind, x.variables, x.rungs.map((r) => [r.id, r.line])],
      ),
      p.tasks,
      p.machine.devices.map((d) => [d.id, d.name, d.type, d.parameters, d.wires, d.nc]),
      p.outside?.isOn ? p.outside.items.map((x) => [x.path, x.fallback]) : undefined,
      p.machine.kinds?.map(({ picture: _, help: _h, width: _w, ...k }) => k),
    ]);
  return runs(a) === runs(b);
}
