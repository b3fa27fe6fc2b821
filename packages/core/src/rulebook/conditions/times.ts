import { isTimeZone } from '../../people/fields.js';
import { WEEKDAYS, type Weekday } from '../../vocabulary.js';
import { timesTest } from '../clock.js';
import type { Times } from '../form.js';
import type { Value } from '../read.js';
import { condition, kept } from './spec.js';

const hours = (minutes: number) =>
  `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;

/** Days of the week and hours, by the clock of a zone or of the person. */
export const times = condition({
  kind: 'times',
  text: {
    key: 'when',
    read: (value) => {
      const said = readTimes(value);
      return said ? { times: said } : {};
    },
    write: ({ times: said }) =>
      said && {
        ...(said.days.length < 7 ? { days: [...said.days] } : {}),
        ...(said.from !== undefined && said.to !== undefined
          ? { between: `${hours(said.from)} and ${hours(said.to)}` }
          : {}),
        zone: said.zone,
      },
    schema: {
      type: 'object',
      additionalProperties: false,
      properties: {
        days: { type: 'array', minItems: 1, maxItems: 7, items: { enum: WEEKDAYS } },
        between: {
          type: 'string',
          pattern: String.raw`^([01]\d|2[0-3]):[0-5]\d (and|to) ([01]\d|2[0-4]):[0-5]\d$`,
          description: 'Over midnight the days are those on which it begins',
        },
        zone: { type: 'string', description: 'Such as Europe/London, or person' },
      },
    },
  },
  test: ({ times: said }, clock) => {
    if (!said) return undefined;
    const lies = timesTest(said);
    const { zone } = said;
    return (facts) => lies(clock.at(facts.at, zone === 'person' ? facts.person.zone : zone));
  },
  scope: (conditions) => conditions.times && JSON.stringify(conditions.times),
  subsumes: (earlier, later) => earlier === undefined || earlier === later,
  needs: ({ times: said }) => (said?.zone === 'person' ? ['person'] : []),
  record: ({ person }) => kept('zone', person.zone === 'UTC' ? undefined : person.zone),
});

function readTimes(value: Value): Times | undefined {
  const map = value.map(['days', 'between', 'zone']);
  if (!map) return undefined;
  const days = map
    .get('days')
    ?.list(7)
    ?.flatMap((one) => one.oneOf(WEEKDAYS) ?? []) ?? [...WEEKDAYS];
  const zoneAt = map.get('zone');
  const zone = zoneAt?.text() ?? 'person';
  if (zoneAt && zone !== 'person' && !isTimeZone(zone)) zoneAt.wrong('zone', { zone });
  const between = map.get('between');
  const match = /^([01]\d|2[0-3]):([0-5]\d) (?:and|to) ([01]\d|2[0-4]):([0-5]\d)$/.exec(between?.text() ?? '');
  const base = { days: WEEKDAYS.filter((day: Weekday) => days.includes(day)), zone };
  if (!between) return base;
  const [from, to] = match ? [Number(match[1]) * 60 + Number(match[2]), Number(match[3]) * 60 + Number(match[4])] : [];
  if (from === undefined || to === undefined || from === to || to > 1_440) {
    between.wrong('hours');
    return base;
  }
  return { ...base, from, to };
}
