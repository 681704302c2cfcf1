/** What would happen, said before it is done: values not carried over, outputs switched, forces, checks and rules. */
import { many } from '@ferrule/core/language';
import useSWR from 'swr';
import { type SwapPreview, renamedText } from '@ferrule/core/bench';
import { api, messageOf } from '../../api.js';
import { useDocument } from '../../document/store.js';
import type { ControllerView } from './status.js';

interface Listed {
  readonly id: string;
  readonly revision: number;
  readonly proof?: {
    readonly revision: number;
    readonly count: number;
    readonly failed: number;
    readonly open?: number;
  };
}

export function BeforeTry({
  view,
  only,
}: {
  readonly view: ControllerView;
  readonly only: readonly string[] | undefined;
}) {
  const { id, status, comparison } = view,
    revision = useDocument((s) => s.revision);
  const key = `/controller/preview ${id} ${revision} ${comparison?.controllerHash} ${only?.join(' ') ?? ''}`;
  const preview = useSWR<SwapPreview, Error>(
    key,
    () => api<SwapPreview>('POST', '/controller/preview', { projectId: id, ...(only ? { only } : {}) }),
    { refreshInterval: 5000, shouldRetryOnError: false, keepPreviousData: true, dedupingInterval: 1000 },
  );
  const projects = useSWR<readonly Listed[]>('/projects', { refreshInterval: 5000 });
  const p = preview.data,
    forces = status?.forces.length ?? 0;
  return (
    <section aria-label="Before a try" className="text-[12px]">
      {preview.error ? (
        <p className="text-bad">{messageOf(preview.error)}</p>
      ) : (
        !p && <p className="text-soft">Looking at what it would do …</p>
      )}
      <dl>
        {p && !preview.error && (
          <>
            <Row isGood={!p.fault && !p.switched.length} name={`Outputs in ${many(p.scans, 'scan')}`}>
              {p.fault
                ? `it faults: ${p.fault}`
                : p.switched.length
                  ? p.switched.map((s) => `${s.path} ${s.kept} → ${s.draft}`).join(', ')
                  : 'none switched'}
            </Row>
            <Row isGood={!p.lost.length} name="Values">
              {`${p.lost.length ? `not carried over: ${p.lost.join('; ')}` : 'all carried over'}${
                p.renamed.length ? `; under another name: ${renamedText(p.renamed)}` : ''
              }`}
            </Row>
          </>
        )}
        <Row isGood={!forces} name="Forces">
          {forces ? `${forces} in effect` : 'none'}
        </Row>
        <ProofRow proof={projects.data?.find((x) => x.id === id)?.proof} revision={revision ?? 0} />
      </dl>
    </section>
  );
}

function ProofRow({ proof, revision }: { readonly proof: Listed['proof']; readonly revision: number }) {
  const words = !proof
    ? 'not run'
    : proof.revision !== revision
      ? `last run on rev ${proof.revision}, this is rev ${revision}`
      : proof.failed
        ? `${proof.failed} of ${proof.count} failed`
        : proof.open
          ? `${proof.open} of ${proof.count} open`
          : `${proof.count} of ${proof.count} pass`;
  return (
    <Row
      isGood={proof !== undefined && proof.revision === revision && !proof.failed && !proof.open}
      name="Checks and rules"
    >
      {words}
    </Row>
  );
}

const Row = ({
  name,
  isGood,
  children,
}: {
  readonly name: string;
  readonly isGood: boolean;
  readonly children: string;
}) => (
  <div className="flex justify-between gap-2 border-t border-edge py-[3px]">
    <dt className="shrink-0 text-soft">
      <span aria-hidden className={`mr-1.5 font-semibold ${isGood ? 'text-good' : 'text-copper'}`}>
        {isGood ? '✓' : '!'}
      </span>
      {name}
    </dt>
    <dd className="min-w-0 text-right">{children}</dd>
  </div>
);
