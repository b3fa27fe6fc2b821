import { readFileSync, writeFileSync } from 'node:fs';
import { PhoneRefused, PocketPhone, type KeptPhone, type PhoneAsked, type PhoneRequest } from './phone.js';

/** What a phone in the drawer does by itself: nothing, approve what asks for no number, or not even look. */
export const HABITS = ['by-hand', 'approves', 'away'] as const;
export type Habit = (typeof HABITS)[number];

export interface Entry {
  readonly phone: PocketPhone;
  habit: Habit;
  person: string;
  organisation: string;
  /** What the service told last; why it told nothing. */
  asked: PhoneAsked | undefined;
  trouble: string | undefined;
}

type KeptEntry = KeptPhone & Pick<Entry, 'habit' | 'person' | 'organisation'>;

/** How long a phone that approves by itself looks at a question first. */
const THINKS_MS = 1_500;

/** Phones that approve, several at once, in a file: for demos and for scripts. */
export class Drawer {
  readonly entries: Entry[] = [];

  constructor(private readonly file: string | undefined) {}

  async open(): Promise<void> {
    let kept: readonly KeptEntry[] = [];
    try {
      if (this.file !== undefined) kept = JSON.parse(readFileSync(this.file, 'utf8')) as KeptEntry[];
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error;
    }
    for (const { habit, person, organisation, ...phone } of kept)
      this.entries.push({
        phone: await PocketPhone.again(phone),
        habit,
        person,
        organisation,
        asked: undefined,
        trouble: undefined,
      });
  }

  async keep(): Promise<void> {
    if (this.file === undefined) return;
    const kept: KeptEntry[] = [];
    for (const { phone, habit, person, organisation } of this.entries)
      kept.push({ ...(await phone.keep()), habit, person, organisation });
    writeFileSync(this.file, `${JSON.stringify(kept, null, 2)}\n`, { mode: 0o600 });
  }

  /** Follows a link, and answers the first request. @throws {@link PhoneRefused} */
  async follow(link: string, habit: Habit): Promise<Entry> {
    const { phone, asked } = await PocketPhone.follow(link);
    const { person, organisation } = asked;
    const entry: Entry = { phone, habit, person, organisation, asked, trouble: undefined };
    this.entries.push(entry);
    await this.keep();
    const [first] = asked.requests;
    if (first) await phone.answer(first, 'approve');
    return entry;
  }

  entry(device: string): Entry | undefined {
    return this.entries.find(({ phone }) => phone.device === device);
  }

  /** Asks for each phone what waits, and answers where that is its habit. */
  async look(now: number): Promise<void> {
    await Promise.all(
      this.entries
        .filter(({ habit }) => habit !== 'away')
        .map(async (entry) => {
          try {
            entry.asked = await entry.phone.fetch();
            entry.trouble = undefined;
            if (entry.habit === 'approves') await this.#approve(entry, now);
          } catch (error) {
            entry.asked = undefined;
            entry.trouble = error instanceof PhoneRefused ? error.code : 'offline';
          }
        }),
    );
  }

  async #approve({ phone, asked }: Entry, now: number): Promise<void> {
    const ripe = ({ at, asksNumber }: PhoneRequest) => !asksNumber && now - Date.parse(at) >= THINKS_MS;
    for (const request of asked!.requests.filter(ripe)) await phone.answer(request, 'approve');
  }
}
