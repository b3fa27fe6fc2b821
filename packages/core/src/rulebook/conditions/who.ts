import { ROLES } from '../../vocabulary.js';
import type { Facts } from '../facts.js';
import { condition, kept, listed, listOf, overlap } from './spec.js';

interface Scope {
  /** Groups, roles and people that it names, and those that it bars. */
  readonly named: ReadonlySet<string>;
  readonly barred: ReadonlySet<string>;
}

const MEMBERS = ['groups', 'roles', 'people'] as const;
const HELD = {
  groups: ({ person }: Facts): ReadonlySet<string> => person.groups,
  roles: ({ person }: Facts): ReadonlySet<string> => person.roles,
  people: ({ person }: Facts): ReadonlySet<string> => person.names,
};

/** Groups, roles and people together say who: anybody of those that are named, and nobody of those that are not. */
export const who = condition<Scope>({
  kind: 'who',
  text: {
    key: 'who',
    lists: [
      listOf('groups', 'groups'),
      {
        member: 'roles',
        words: ['roles', 'not roles'],
        read: (value) => value.oneOf(ROLES),
        schema: { enum: ROLES },
      },
      listOf('people', 'people'),
    ],
  },
  test: (conditions) => {
    const all = MEMBERS.flatMap((member) => {
      const said = conditions[member];
      return said ? [{ ...said, of: HELD[member] }] : [];
    });
    const [named, barred] = [all.filter((one) => !one.not), all.filter((one) => one.not)];
    if (all.length === 0) return undefined;
    return (facts) => {
      for (const { names, of } of barred) if (overlap(names, of(facts))) return false;
      if (named.length === 0) return true;
      for (const { names, of } of named) if (overlap(names, of(facts))) return true;
      return false;
    };
  },
  scope: (conditions) => {
    const parts = (not: boolean) =>
      new Set(
        MEMBERS.flatMap((member) => {
          const said = conditions[member];
          return said?.not === not ? said.names.map((name) => `${member} ${name}`) : [];
        }),
      );
    return { named: parts(false), barred: parts(true) };
  },
  // Anybody whom the later rule means is meant by the earlier one.
  subsumes: (earlier, later) => {
    // Whom the earlier rule bars, the later one must bar too.
    for (const part of earlier.barred) if (!later.barred.has(part)) return false;
    if (earlier.named.size === 0) return true;
    if (later.named.size === 0) return false;
    for (const part of later.named) if (!earlier.named.has(part)) return false;
    return true;
  },
  handles: (conditions) =>
    MEMBERS.flatMap((member) => {
      const said = conditions[member];
      return said && !said.not ? said.names.map((name) => `${member} ${name}`) : [];
    }),
  names: [
    { member: 'groups', kind: 'group', bound: 'groups' },
    { member: 'people', kind: 'person', bound: 'people' },
  ],
  needs: ({ groups, roles, people }) => (groups || roles || people ? ['person'] : []),
  record: ({ person }, ruled) => {
    // At every sign-in, over every group that a rule names: a plain loop.
    const groups: number[] = [];
    for (let place = 0; place < ruled.length; place++) if (person.groups.has(ruled[place]!)) groups.push(place);
    return { ...kept('groups', groups.length > 0 ? groups : undefined), ...kept('roles', listed(person.roles)) };
  },
});
