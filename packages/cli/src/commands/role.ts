import { catalogue, ROLES, say, type Role } from '@nimble-latch/api';
import { Argument } from 'commander';
import { table } from '../render/table.js';
import { relative } from '../render/time.js';
import { words } from '../words/index.js';
import { roleWords } from '../words/role.js';
import { collect, confirm, done, findGroup, findPerson, show, withSession, type Noun } from './support.js';

const h = words.headings;
const shared = catalogue('en');
const roleArgument = () => new Argument('<role>').choices(ROLES);

export const role: Noun = (command, context) => {
  const help = roleWords.help;
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
  command
    .command('give <person>')
    .addArgument(roleArgument())
    .description(help.give)
    .option('--within <group>', roleWords.options.within, collect)
    .action(
      withSession(context, async (session, named: string, given: Role, options: { within?: string[] }) => {
        const person = await findPerson(session, named);
        const groups = options.within
          ? await Promise.all(options.within.map(async (group) => await findGroup(session, group)))
          : null;
        const answer = await session.client.call('roles.grant', {
          params: { id: person.id, role: given },
          body: { groups: groups?.map((group) => group.id) ?? null },
        });
        const facts = { name: person.displayName, role: given };
        done(
          session,
          answer,
          groups
            ? say(roleWords.done.roleGivenWithin, { ...facts, groups: groups.map((group) => group.name).join(', ') })
            : say(roleWords.done.roleGiven, facts),
        );
      }),
    );
  command
    .command('take <person>')
    .addArgument(roleArgument())
    .description(help.take)
    .action(
      withSession(context, async (session, named: string, taken: Role) => {
        const person = await findPerson(session, named);
        const answer = await session.client.call('roles.revoke', { params: { id: person.id, role: taken } });
        done(session, answer, say(roleWords.done.roleTaken, { name: person.displayName, role: taken }));
      }),
    );
  command
    .command('emergency <person>')
    .description(help.emergency)
    .option('--off', roleWords.options.emergencyOff)
    .option('-y, --yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, options: { off?: boolean; yes?: boolean }) => {
        const person = await findPerson(session, named);
        const emergency = !options.off;
        const facts = { name: person.displayName };
        if (emergency && !(await confirm(session, say(roleWords.consequences.emergency, facts), options.yes))) return;
        const answer = await session.client.call('people.markEmergency', {
          params: { id: person.id },
          body: { emergency },
        });
        done(session, answer, say(emergency ? roleWords.done.emergency : roleWords.done.noEmergency, facts));
      }),
    );
};
