/** What the controller is open to. */
import useSWR from 'swr';
import { api } from '../../api.js';
import { LinkTo } from '../../components/LinkTo.js';
import { OpenProtocols, type OpenState } from '../../components/OpenProtocols.js';
import type { ControllerView } from './status.js';

export function OtherPrograms({ view }: { readonly view: ControllerView }) {
  const { attempt } = view;
  const open = useSWR<OpenState>('/controller/open', { refreshInterval: 1000, dedupingInterval: 300 });
  const put = (path: string, change: object) =>
    void attempt(async () => {
      await api('PUT', `/controller/open/${path}`, change);
      await open.mutate();
    });
  if (!open.data) return <p className="p-4 text-soft">Asking the controller …</p>;
  return (
    <>
      {open.data.outside.state !== 'off' && (
        <div className="border-b border-edge p-3">
          <LinkTo
            of={open.data.outside}
            trust={(thumbprint, isTrusted) => put(`outside/certificates/${thumbprint}`, { isTrusted })}
            setPassword={(password) => put('outside/password', { password })}
          />
        </div>
      )}
      <OpenProtocols
        of={open.data}
        empty="Nothing: no tag of the program there has access from outside. Give it in Tags, under Access, and download."
        projectId={view.id}
        set={put}
        trust={(thumbprint, isTrusted) => put(`opcua/certificates/${thumbprint}`, { isTrusted })}
      />
    </>
  );
}
