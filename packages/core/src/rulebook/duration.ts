import type { Value } from './read.js';

/** A whole number with its unit: `14 days`, `12 hours`, `30 minutes`, in the unit that is wanted. */
export function readDuration(value: Value, unit: 'd' | 'm'): number | undefined {
  const match = /^(\d{1,4}) (minute|hour|day)s?$/.exec(value.text() ?? '');
  const minutes = match && Number(match[1]) * { minute: 1, hour: 60, day: 1_440 }[match[2] as 'minute'];
  if (!minutes || (unit === 'd' && minutes % 1_440 !== 0)) return value.wrong('duration');
  return unit === 'd' ? minutes / 1_440 : minutes;
}

/** A duration in the largest unit in which it is whole. */
export function writeDuration(minutes: number): string {
  const [count, unit] =
    minutes % 1_440 === 0
      ? [minutes / 1_440, 'day']
      : minutes % 60 === 0
        ? [minutes / 60, 'hour']
        : [minutes, 'minute'];
  return `${count} ${unit}${count === 1 ? '' : 's'}`;
}
