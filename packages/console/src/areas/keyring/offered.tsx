import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { Soft, Spread, State } from '../../frame/components/layout.js';
import { Fold } from '../../frame/components/fold.js';
import { Table } from '../../frame/components/table.js';
import { say, shared } from '../../frame/messages/index.js';
import { methodsWords } from '../methods/messages/index.js';
import { useRead } from '../../frame/session/api.js';

const w = methodsWords.methodSettings;

/** Which methods somebody may enrol and use, and why not the others. */
export function Offered({ personId }: { personId: string }) {
  return (
    <Fold id="offered" title={w.offered}>
      <OfferedShown personId={personId} />
    </Fold>
  );
}

function OfferedShown({ personId }: { personId: string }) {
  const { data } = useRead('people.methods', { params: { id: personId } });
  const [all, setAll] = useState(false);
  if (!data) return null;
  const rows = data.rows.filter((row) => all || row.why !== 'not-built' || row.held > 0);
  return (
    <>
      <Spread>
        <Soft>{w.offeredHint}</Soft>
        <Button look="quiet" onPress={() => setAll(!all)}>
          {all ? w.fewer : w.all}
        </Button>
      </Spread>
      <Table
        label={w.offered}
        rows={rows}
        keyOf={(row) => row.method}
        columns={[
          { heading: w.method, cell: (row) => shared.methods[row.method] },
          {
            heading: w.enrolling,
            cell: (row) => <State tone={row.enrol ? 'good' : 'open'}>{row.enrol ? w.offeredYes : w.offeredNo}</State>,
          },
          { heading: w.purposes, cell: (row) => row.purposes.map((one) => shared.purposes[one]).join(', ') },
          {
            heading: w.why,
            cell: (row) =>
              row.why
                ? shared.whyNotOffered[row.why]
                : row.row === null
                  ? ''
                  : say(w.byRow, { row: row.row + 1, group: row.group ?? w.everybody }),
          },
          { heading: w.held, cell: (row) => String(row.held) },
        ]}
      />
    </>
  );
}
