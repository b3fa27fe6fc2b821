import type { Usable } from '@nimble-latch/core/assurance';
import type { Foreseen } from '@nimble-latch/core/signin';
import type { Method } from '@nimble-latch/core/vocabulary';
import { CONSOLE_APPLICATION, idText } from '../../platform/ids.js';
import type { ShownFinding } from './describe-rulebook.js';

/** What administrators and emergency accounts meet at the console. */
export class InsideView {
  #application = '';
  #emergency = 0;
  #spared = 0;
  readonly #methods = new Map<string, number>();
  #administrators = 0;

  note(
    row: { readonly emergency: number },
    application: { readonly id: Buffer; readonly name: string },
    { state, asks, serves }: Foreseen,
    keyring: readonly Usable[],
  ): void {
    if (idText(application.id) !== CONSOLE_APPLICATION) return;
    this.#application = application.name;
    if (row.emergency === 1) {
      this.#emergency += 1;
      if (state === 'let-in' && asks.length <= 1) this.#spared += 1;
      return;
    }
    if (state !== 'let-in') return;
    this.#administrators += 1;
    const methods = new Set<Method>(
      serves
        .flatMap((id) => keyring.find((one) => one.id === id)?.method ?? [])
        .filter((method) => method !== 'password'),
    );
    for (const method of methods) this.#methods.set(method, (this.#methods.get(method) ?? 0) + 1);
  }

  findings(): ShownFinding[] {
    const facts = { application: this.#application };
    const only = [...this.#methods].find(([, people]) => people === this.#administrators);
    return [
      ...(this.#emergency > 0 && this.#spared === 0 ? [{ what: 'emergency-asked' as const, rule: null, facts }] : []),
      ...(only && this.#methods.size === 1 && this.#administrators > 1
        ? [{ what: 'one-method-only' as const, rule: null, facts: { ...facts, method: only[0] } }]
        : []),
    ];
  }
}
