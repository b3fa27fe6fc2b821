import { useContext } from 'react';
import { locale, words } from '../messages/index.js';
import { SessionContext } from '../session/context.js';

const UNITS: readonly [Intl.RelativeTimeFormatUnit, number][] = [
  ['year', 31_536_000],
  ['month', 2_592_000],
  ['day', 86_400],
  ['hour', 3_600],
  ['minute', 60],
];

/**
 * A moment as "3 hours ago", with the exact one on hover, in the zone of whoever is signed in.
 *
 * @param props.dated told as a day and an hour instead, where several moments are held against each other
 */
export function Time({ at, dated = false }: { at: string | null; dated?: boolean }) {
  const timeZone = useContext(SessionContext)?.person.timeZone;
  if (at === null) return <span>{words.never}</span>;
  const seconds = (Date.parse(at) - Date.now()) / 1000;
  const [unit, size] = UNITS.find(([, least]) => Math.abs(seconds) >= least) ?? ['second', 60];
  const zone = timeZone ? { timeZone } : {};
  const text = dated
    ? new Date(at).toLocaleString(locale, { dateStyle: 'medium', timeStyle: 'short', ...zone })
    : new Intl.RelativeTimeFormat(locale, { numeric: 'auto' }).format(Math.trunc(seconds / size), unit);
  return (
    <time
      dateTime={at}
      title={new Date(at).toLocaleString(locale, {
        dateStyle: 'full',
        timeStyle: 'long',
        ...zone,
      })}
    >
      {text}
    </time>
  );
}
