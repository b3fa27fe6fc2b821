import { railOf, type ConsoleArea } from '../area.js';
import { language, words } from '../messages/index.js';
import { call } from '../session/api.js';
import type { PageAction } from '../session/page-actions.js';
import type { Session } from '../session/context.js';

/** Somewhere that the palette can lead to. */
export interface Target {
  readonly id: string;
  readonly kind: 'here' | 'action' | 'person' | 'group' | 'application' | 'token' | 'sign-in';
  readonly name: string;
  /** What else tells it apart. */
  readonly hint: string;
  readonly to: string;
  /** What it does here, where it leads nowhere else. */
  readonly run?: () => void;
}

const w = words.palette;
const EACH = 6;
const ID = /^[0-9a-f]{8}-[0-9a-f]{4}-7[0-9a-f]{3}-[0-9a-f]{4}-[0-9a-f]{12}$/i;

/** What areas lead to and what can be done there, for whoever may. */
export const targetsOf = (areas: readonly ConsoleArea[], session: Session): readonly Target[] => {
  const lines = [...areas.flatMap(({ actions = [] }) => actions), ...railOf(areas).flatMap(({ lines: all }) => all)];
  return (
    lines
      // One place is led to once, by what can be done there: a list in which two have one key would lose what stands between them.
      .filter(({ to }, at) => lines.findIndex((line) => line.to === to) === at)
      .filter(({ calls }) => calls === undefined || session.calls.includes(calls))
      .map(({ to, name }) => ({ id: `to ${to}`, kind: 'action', name: name[language], hint: w.kinds.action, to }))
  );
};

/** What can be done on the page that is open. */
export const targetsHere = (actions: readonly (readonly PageAction[])[]): readonly Target[] =>
  actions
    .flat()
    .filter(({ id }, at, all) => all.findIndex((one) => one.id === id) === at)
    .map(({ id, text, run }) => ({ id: `here ${id}`, kind: 'here', name: text, hint: w.kinds.here, to: '', run }));

/** Actions whose words begin with what was typed; all of them while nothing is typed. */
export function actionsFor(actions: readonly Target[], typed: string): readonly Target[] {
  const wanted = typed.toLowerCase().split(/\s+/).filter(Boolean);
  return actions.filter(({ name }) => {
    const parts = name.toLowerCase().split(/\s+/);
    return wanted.every((one) => parts.some((part) => part.startsWith(one)));
  });
}

/** What the service finds for what was typed: people, tokens, groups and applications by their beginnings, a sign-in by its id. */
export async function foundFor(typed: string, { calls }: Session): Promise<Target[]> {
  if (typed === '') return [];
  if (ID.test(typed) && calls.includes('activity.list')) {
    const id = typed.toLowerCase();
    return [{ id, kind: 'sign-in', name: id, hint: w.kinds['sign-in'], to: `/sign-ins/${id}` }];
  }
  const query = { q: typed, limit: EACH };
  // Serial numbers have digits; of a name nothing is asked of the stock.
  const serial = typed.length >= 3 && /\d/.test(typed);
  const nothing = { rows: [] };
  const [people, groups, applications, tokens] = await Promise.all([
    calls.includes('people.list') ? call('people.list', { query }) : nothing,
    calls.includes('groups.list') ? call('groups.list', { query }) : nothing,
    calls.includes('applications.list') ? call('applications.list', { query }) : nothing,
    serial && calls.includes('stock.list') ? call('stock.list', { query }) : nothing,
  ]);
  return [
    ...people.rows.map((row): Target => ({
      id: row.id,
      kind: 'person',
      name: row.displayName,
      hint: [row.loginNames[0], ...row.groups, ...row.serials].filter(Boolean).join(', '),
      to: `/people/${row.id}`,
    })),
    ...tokens.rows.map((row): Target => ({
      id: row.id,
      kind: 'token',
      name: row.serial,
      hint: [w.kinds.token, row.holder?.displayName].filter(Boolean).join(', '),
      to: `/stock/${row.id}`,
    })),
    ...groups.rows.map((row): Target => ({
      id: row.id,
      kind: 'group',
      name: row.name,
      hint: w.kinds.group,
      to: `/groups/${row.id}`,
    })),
    ...applications.rows.map((row): Target => ({
      id: row.id,
      kind: 'application',
      name: row.name,
      hint: w.kinds.application,
      to: `/applications/${row.id}`,
    })),
  ];
}
