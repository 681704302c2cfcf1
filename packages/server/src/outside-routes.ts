/**
 * Another program that gives inputs and takes outputs, as the bench joins it: what there is, whom to trust, and
 * passwords.
 */
import { NotFound, type Secrets, lookOutside, passwordKey, trustOpcua } from '@ferrule/protocols';
import { Router } from 'express';
import { LookBody, OutsidePasswordBody, TrustBody, body } from './bodies.js';
import { problem } from './problem.js';

export interface OutsideFiles {
  /** Certificates lie here. */ readonly folder: string;
  /** The built program that joins over OPC UA. */ readonly entry: URL;
  readonly secrets: Secrets;
}

export function outsideRoutes({ folder, entry, secrets }: OutsideFiles): Router {
  const router = Router();
  router.post('/look', async (request, response) => {
    const { table = 'coil', from = 0, count = 16, ...outside } = body(LookBody, request.body),
      password = secrets.get(passwordKey(outside));
    try {
      response.json(
        await lookOutside(outside, {
          folder,
          entry,
          stretch: { table, from, count: Math.min(count, 65_536 - from) },
          ...(password === undefined ? {} : { password }),
        }),
      );
    } catch (e) {
      if (e instanceof NotFound) throw problem('OUTSIDE_AWAY', e.message, { certificates: e.certificates });
      throw e;
    }
  });
  router.put('/certificates/:thumbprint', async (request, response) => {
    const { isTrusted } = body(TrustBody, request.body),
      { thumbprint } = request.params;
    if (!/^[0-9a-f]{40}$/.test(thumbprint)) throw problem('NOT_FOUND', 'A certificate is named by its thumbprint.');
    response.json({ certificates: await trustOpcua({ folder, entry }, thumbprint, isTrusted) });
  });
  /** Kept here and no part of the project: a password of one user at one address. */
  router.put('/password', (request, response) => {
    const { password, ...of } = body(OutsidePasswordBody, request.body);
    secrets.set(passwordKey(of), password);
    response.status(204).end();
  });
  return router;
}
