import { catalogue, ROLES, say, type Role } from '@nimble-latch/api';
import { Argument } from 'commander';
import { table } from '../render/table.js';
import { relative } from '../render/time.js';
import { words } from '../words/index.js';
import { roleWords } from '../words/role.js';
import { collect, confirm, done, findGroup, findPerson, show, withSession, type Noun } from './support.js';
import { changeVerb, verb } from './verbs.js';

const h = words.headings;
const shared = catalogue('en');
const roleArgument = () => new Argument('<role>').choices(ROLES);

export const role: Noun = (command, context) => {
  const help = roleWords.help;
  const at = { command, context };
  command
    .command('table')
    .description(help.table)
    .action(
      withSession(context, async (session) => {
        const { roles } = await session.client.call('roles.table');
        const permissions = roles.find((one) => one.role === 'owner')!.permissions;
        show(
          session,
          { roles },
          () =>
            table(
              permissions,
              [
                { heading: h.permission, cell: (permission) => shared.permissions[permission], flexible: true },
                ...roles.map((one) => ({
                  heading: one.role.toUpperCase(),
                  cell: (permission: (typeof permissions)[number]) =>
                    !one.permissions.includes(permission)
                      ? words.facts.none
                      : one.withinGroups && !one.withinGroups.includes(permission)
                        ? roleWords.facts.unlimitedOnly
                        : words.facts.yes,
                })),
              ],
              session,
            ) + `${roleWords.facts.unlimitedOnlyMeans}\n`,
        );
      }),
    );
  command
    .command('holders')
    .description(help.holders)
    .action(
      withSession(context, async (session) => {
        const { holders, emergency } = await session.client.call('roles.table');
        show(session, { holders, emergency }, () =>
          [
            table(
              holders,
              [
                { heading: h.name, cell: (one) => one.person.displayName, flexible: true },
                { heading: h.role, cell: (one) => one.role },
                {
                  heading: h.reaches,
                  cell: (one) =>
                    one.groups === null
                      ? words.facts.everybody
                      : one.groups.map((group) => group.name).join(', ') || roleWords.facts.nobodyAtAll,
                  flexible: true,
                },
                { heading: h.since, cell: (one) => relative(one.grantedAt, context.now()) },
                { heading: h.by, cell: (one) => one.grantedBy?.displayName ?? words.facts.none, flexible: true },
              ],
              session,
            ),
            ...emergency.map(
              (one) =>
                `${say(roleWords.facts.emergencyAccount, { name: one.displayName, when: relative(one.lastSeenAt, context.now()) })}\n`,
            ),
          ].join(''),
        );
      }),
    );
  verb<{ within?: string[] }>(
    at,
    {
      line: 'give <person>',
      help: help.give,
      options: (one) => one.addArgument(roleArgument()).option('--within <group>', roleWords.options.within, collect),
    },
    async (session, [named, given], { within }) => {
      const { id, displayName: name } = await findPerson(session, named);
      const groups = within && (await Promise.all(within.map(async (group) => await findGroup(session, group))));
      const role = given as Role;
      const answer = await session.client.call('roles.grant', {
        params: { id, role },
        body: { groups: groups?.map((group) => group.id) ?? null },
      });
      const limit = groups?.map((group) => group.name).join(', ');
      const sentence = limit === undefined ? roleWords.done.roleGiven : roleWords.done.roleGivenWithin;
      done(session, answer, say(sentence, { name, role, groups: limit ?? '' }));
    },
  );
  changeVerb(at, {
    line: 'take <person>',
    help: help.take,
    options: (one) => one.addArgument(roleArgument()),
    find: async (session, named, role) => ({ person: await findPerson(session, named), role: role as Role }),
    change: async ({ client }, { person: { id }, role }) => await client.call('roles.revoke', { params: { id, role } }),
    said: (_, { person, role }) => say(roleWords.done.roleTaken, { name: person.displayName, role }),
  });
  verb<{ off?: boolean; yes?: boolean }>(
    at,
    {
      line: 'emergency <person>',
      help: help.emergency,
      options: (one) => one.option('--off', roleWords.options.emergencyOff).option('-y, --yes', words.options.yes),
    },
    async (session, [named], { off, yes }) => {
      const { id, displayName: name } = await findPerson(session, named);
      // Ending it takes nothing from anybody: only beginning asks.
      if (!off && !(await confirm(session, say(roleWords.consequences.emergency, { name }), yes))) return;
      const answer = await session.client.call('people.markEmergency', { params: { id }, body: { emergency: !off } });
      done(session, answer, say(off ? roleWords.done.noEmergency : roleWords.done.emergency, { name }));
    },
  );
};
