import { setTimeout as delay } from 'node:timers/promises';
import type { Client } from '@nimble-latch/api/client';
import { expect } from 'vitest';
import { Fob } from './counters.js';
import { connectedApplication, PASSWORD, type Installation, type Node } from './installation.js';

/** Visitors of an application who hold tokens that count, and sign in at whatever node they are sent to. */
export class Visitors {
  readonly #installation: Installation;
  readonly #key: string;
  readonly fobs: readonly Fob[];

  private constructor(installation: Installation, key: string, fobs: readonly Fob[]) {
    this.#installation = installation;
    this.#key = key;
    this.fobs = fobs;
  }

  static async of(installation: Installation, count: number): Promise<Visitors> {
    const { owner } = installation;
    const { key } = await connectedApplication(owner, 'Berth Planner', { claims: ['password-checked'] });
    const fobs: Fob[] = [];
    for (let i = 0; i < count; i++) {
      const name = `visitor.${i}`;
      const { id } = await owner.call('people.add', { body: { displayName: name, loginNames: [name] } });
      await owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
      const fob = new Fob(`ZZ-${1_000 + i}`);
      const tokenId = await fob.into(owner, id);
      await owner.call('tokens.prove', { params: { id, tokenId }, body: { codes: [fob.press(), fob.press()] } });
      fobs.push(fob);
    }
    return new Visitors(installation, key, fobs);
  }

  /** The application's client of a node. */
  at(node: Node): Client {
    return this.#installation.client(node.url, this.#key);
  }

  async begin(node: Node, i: number): Promise<string> {
    const body = { loginName: `visitor.${i}`, claims: { passwordChecked: true as const } };
    return (await this.at(node).call('signIns.begin', { body })).id;
  }

  /** Shows a code; answers what came of it. */
  async show(node: Node, id: string, value: string): Promise<string> {
    return (await this.at(node).call('signIns.prove', { params: { id }, body: { kind: 'code', value } })).state;
  }

  /** One sign-in; answers what came of it. */
  async visit(node: Node, i: number): Promise<string> {
    try {
      const id = await this.begin(node, i);
      return await this.show(node, id, this.fobs[i]!.press());
    } catch (error) {
      return (error as { code?: string }).code ?? 'no answer';
    }
  }

  /** All of them at all nodes, again and again, until they are told to stop. */
  crowd(nodes: readonly Node[]): Crowd {
    return new Crowd(this, nodes);
  }
}

export class Crowd {
  /** When somebody was let in. */
  readonly letIn: number[] = [];
  /** What else came of it, and how often. */
  readonly others = new Map<string, number>();
  readonly #all: Promise<unknown>;
  #over = false;

  constructor(visitors: Visitors, nodes: readonly Node[]) {
    this.#all = Promise.all(
      visitors.fobs.map(async (_, i) => {
        for (let n = i; !this.#over; n++) {
          const what = await visitors.visit(nodes[n % nodes.length]!, i);
          if (what === 'let-in') this.letIn.push(performance.now());
          else this.others.set(what, (this.others.get(what) ?? 0) + 1);
          // Enough to be at work all the time; no more, since other tests are at work beside it.
          await delay(60);
        }
      }),
    );
  }

  /** The longest time in which nobody came in, from one moment on, in milliseconds. */
  gapSince(from: number): number {
    const times = [from, ...this.letIn.filter((time) => time > from), performance.now()];
    return Math.max(...times.slice(1).map((time, i) => time - times[i]!));
  }

  async untilLetIn(count: number): Promise<void> {
    const before = this.letIn.length;
    await expect.poll(() => this.letIn.length - before, { timeout: 60_000 }).toBeGreaterThan(count);
  }

  async end(): Promise<void> {
    this.#over = true;
    await this.#all;
  }
}
