/**
 * Inputs from another program and outputs to it, as the program that the machine obeys says: joined by itself, as long
 * as that runs.
 */
import { join } from 'node:path';
import { type LinkShown, type Value, findPath, pulledTags, readLocation } from '@ferrule/core/bench';
import type { Project } from '@ferrule/core/document';
import { OpenRefusal, OutsideLink, Secrets, passwordKey } from '@ferrule/protocols';
import type { Controller } from './controller.js';
import type { Prepared } from './prepare.js';

/** While nothing is joined, and at least so often. */
const IDLE_MS = 100;

export class OutsideIoOfController {
  private readonly link: OutsideLink;
  private readonly secrets: Secrets;
  private readonly projects = new WeakMap<Prepared, Project['outside']>();
  private isOver = false;

  constructor(
    private readonly controller: Controller,
    options: { readonly folder: string; readonly entry: URL; readonly clockMs: () => number },
  ) {
    this.secrets = new Secrets(join(options.folder, 'outside-passwords.json'));
    const { scan } = controller;
    this.link = new OutsideLink({
      folder: join(options.folder, 'outside'),
      entry: options.entry,
      clockMs: options.clockMs,
      cable: () => (controller.isOn ? controller.network : 'cut'),
      password: (key) => this.secrets.get(key),
      inputs: (values, isLost) => void scan.inputs(values, isLost).catch(() => undefined),
      outputs: () => this.outputs(),
      note: (words) => controller.note('link', words),
    });
    void this.follow();
  }

  get shown(): LinkShown {
    return this.link.shown;
  }
  bad(): ReadonlySet<string> {
    return this.link.bad();
  }
  cableChanged(): void {
    this.link.cableChanged();
  }
  /** The password of the user that the running program joins as; joins anew with it. */
  setPassword(password: unknown): void {
    const outside = this.outsideOf(this.controller.scan.active);
    if (!outside?.user) throw new OpenRefusal(409, 'The program that runs joins nobody by name.');
    if (typeof password !== 'string' || password.length > 200)
      throw new OpenRefusal(400, 'A password has at most 200 characters.');
    this.secrets.set(passwordKey(outside), password);
    this.link.rejoin();
  }
  trust(thumbprint: string, isTrusted: boolean): void {
    this.link.trust(thumbprint, isTrusted);
  }
  async end(): Promise<void> {
    this.isOver = true;
    await this.link.end();
  }

  private outsideOf(of: Prepared | undefined): Project['outside'] {
    if (!of) return undefined;
    if (!this.projects.has(of)) this.projects.set(of, (JSON.parse(of.text) as Project).outside);
    return this.projects.get(of);
  }

  private async follow(): Promise<void> {
    const { scan } = this.controller;
    while (!this.isOver) {
      try {
        const { active } = scan,
          outside = this.outsideOf(active);
        this.link.set(
          active && outside?.isOn && active.outside.length
            ? { outside, points: active.outside, scanMs: Number(active.engine.stepNs) / 1e6 }
            : undefined,
        );
        const pause = new Promise((r) => setTimeout(r, IDLE_MS).unref());
        if (this.link.isOn) await Promise.race([scan.lookAfterScan(), pause]);
        else {
          await pause;
          // Somebody else looks when something changes; an empty controller has nothing to look at.
          if (active?.outside.length) await scan.look();
        }
        this.link.look();
      } catch {
        // The scan has ended: so will this.
        await new Promise((r) => setTimeout(r, IDLE_MS).unref());
      }
    }
  }

  /** As the machine receives them: a force before what the logic says. */
  private outputs(): readonly (Value | undefined)[] {
    const { active } = this.controller.scan,
      points = this.link.points;
    if (active?.outside !== points) return points.map(() => undefined);
    const { engine, image } = active,
      forced = new Map(engine.listForces().map((f) => [f.path.toLowerCase(), f.value])),
      pulled = pulledTags(image, engine.pulledCards);
    return points.map((p) => {
      if (p.isInput) return undefined;
      // Nothing passes a card that is not there: the machine gets what it gets of logic that drives nothing.
      if (pulled.has(p.path.toLowerCase())) return p.rest;
      const found = findPath(image, p.path);
      return (
        forced.get(p.path.toLowerCase()) ??
        ('location' in found ? readLocation(engine.view, found.location) : undefined)
      );
    });
  }
}
