import { area } from '../../platform/area.js';
import { selectOne } from '../../platform/db/sql.js';
import { requestJob } from '../../platform/jobs/jobs.js';
import { bulkChangePeople } from './bulk-change-person.model.js';
import { bulkChanges } from './bulk-change.model.js';
import { groupClosure } from './group-closure.model.js';
import { groupMembers } from './group-member.model.js';
import { groupNesting } from './group-nesting.model.js';
import { groupParts } from './group-part.model.js';
import { groups } from './group.model.js';
import { loginNames } from './login-name.model.js';
import { peopleCounts } from './people-count.model.js';
import { personMethods } from './person-method.model.js';
import { personTerms } from './person-term.model.js';
import { persons } from './person.model.js';

/** People, their login names, groups, and changes of many at once. */
export const peopleArea = area({
  name: 'people',
  tables: [
    bulkChangePeople,
    bulkChanges,
    groupClosure,
    groupMembers,
    groupNesting,
    groupParts,
    groups,
    loginNames,
    peopleCounts,
    personMethods,
    personTerms,
    persons,
  ],
  sweeps: [
    {
      table: 'bulk_change_people',
      when: "change_id IN (SELECT id FROM bulk_changes WHERE state = 'done' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 7 DAY)",
    },
    { table: 'bulk_changes', when: "state = 'done' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 7 DAY" },
  ],
  serves: async () => {
    const { bulkChangeJob } = await import('./bulk.js');
    const { keepCounts } = await import('./counts.js');
    const { ageSeen, fillFacets, refreshKeyHolders } = await import('./facets.js');
    const { peopleHandlers } = await import('./routes.js');
    return {
      handlers: peopleHandlers,
      jobs: {
        'bulk-change': { long: true, run: bulkChangeJob },
        'count-people': { everySeconds: 60, run: keepCounts },
        'age-seen': { everySeconds: 3600, run: ageSeen },
        'refresh-keys': { long: true, run: refreshKeyHolders },
        'fill-facets': { long: true, run: fillFacets },
      },
      starts: async (deps) => {
        // People who were here before lists were sorted and filtered by facets.
        if (await selectOne(deps, "SELECT 1 AS one FROM persons WHERE name_key = '' LIMIT 1"))
          await requestJob(deps, deps, 'fill-facets', { singleton: 'fill-facets' });
      },
    };
  },
});
