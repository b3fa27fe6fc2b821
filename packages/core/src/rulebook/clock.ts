import { WEEKDAYS, type Weekday } from '../vocabulary.js';

/** A moment as a clock on the wall shows it. */
export interface WallTime {
  /** The place of its day among {@link WEEKDAYS}. */
  readonly day: number;
  /** Minutes since midnight, 0 to 1439. */
  readonly minute: number;
}

/** Zones change their offset at whole quarters of an hour of UTC, so within one the offset is the same. */
const SLOT_MS = 15 * 60_000;
/** Slots remembered: a day of some hundred zones. */
const MOST_SLOTS = 10_000;

/**
 * What clocks show in a zone. Asking the runtime costs microseconds, so the offset of each quarter of an hour is
 * remembered; 200 rules may ask within one decision.
 */
export class WallClock {
  readonly #formats = new Map<string, Intl.DateTimeFormat>();
  readonly #offsets = new Map<string, number>();
  /** Rules of one decision ask for the same moment in the same zone, one after the other. */
  #last: { readonly ms: number; readonly zone: string; readonly shown: WallTime } | undefined;

  /** @param zone an IANA time zone; one that the runtime does not know counts as UTC */
  at(ms: number, zone: string): WallTime {
    if (this.#last?.ms === ms && this.#last.zone === zone) return this.#last.shown;
    const local = ms + this.#offset(ms, zone);
    // 1970 began on a Thursday.
    const day = (((Math.floor(local / 86_400_000) + 3) % 7) + 7) % 7;
    const shown = { day, minute: Math.floor((((local % 86_400_000) + 86_400_000) % 86_400_000) / 60_000) };
    this.#last = { ms, zone, shown };
    return shown;
  }

  #offset(ms: number, zone: string): number {
    const slot = Math.floor(ms / SLOT_MS);
    const key = `${slot} ${zone}`;
    let offset = this.#offsets.get(key);
    if (offset === undefined) {
      offset = this.#ask(slot * SLOT_MS, zone);
      if (this.#offsets.size >= MOST_SLOTS) this.#offsets.clear();
      this.#offsets.set(key, offset);
    }
    return offset;
  }

  #ask(ms: number, zone: string): number {
    const parts = Object.fromEntries(
      this.#format(zone)
        .formatToParts(ms)
        .map((part) => [part.type, Number(part.value)]),
    );
    const shown = Date.UTC(
      parts['year']!,
      parts['month']! - 1,
      parts['day'],
      parts['hour'],
      parts['minute'],
      parts['second'],
    );
    return shown - Math.floor(ms / 1000) * 1000;
  }

  #format(zone: string): Intl.DateTimeFormat {
    let format = this.#formats.get(zone);
    if (!format) {
      const options = {
        calendar: 'gregory',
        numberingSystem: 'latn',
        hourCycle: 'h23',
        year: 'numeric',
        month: 'numeric',
        day: 'numeric',
        hour: 'numeric',
        minute: 'numeric',
        second: 'numeric',
      } as const;
      try {
        format = new Intl.DateTimeFormat('en', { ...options, timeZone: zone });
      } catch {
        format = new Intl.DateTimeFormat('en', { ...options, timeZone: 'UTC' });
      }
      this.#formats.set(zone, format);
    }
    return format;
  }
}

/**
 * Makes the test whether a wall time lies in times of the week. Over midnight the days are those on which they begin.
 */
export function timesTest({
  days,
  from,
  to,
}: {
  readonly days: readonly Weekday[];
  readonly from?: number;
  readonly to?: number;
}): (shown: WallTime) => boolean {
  const begins = WEEKDAYS.map((day) => days.includes(day));
  if (from === undefined || to === undefined) return ({ day }) => begins[day]!;
  if (from < to) return ({ day, minute }) => minute >= from && minute < to && begins[day]!;
  return ({ day, minute }) => (minute >= from ? begins[day]! : minute < to && begins[(day + 6) % 7]!);
}
