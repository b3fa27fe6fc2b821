import {
  type FirstEnrolment,
  METHOD_PURPOSES,
  OFFERED_METHODS,
  offeredSpec,
  type Answer,
  type OfferedMethod,
  type SelfAction,
} from '@nimble-latch/api';
import { useState } from 'react';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { CheckboxGroup, Select } from '../../frame/components/choices.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Page, Row, Section, Small, Soft, Spread } from '../../frame/components/layout.js';
import type { PageQuery } from '../../frame/components/paged-table.js';
import { Table } from '../../frame/components/table.js';
import { say, shared } from '../../frame/messages/index.js';
import { LockedOut, Loosened } from '../rulebook/affected.js';
import { methodsWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { PHONE_WORDS, phoneParametersOf, PhoneRules } from './phone-rules.js';
import { KeyRules, sayKeyRules, sayNotBySelf, type KeyParameters, FirstChoice } from './key-rules.js';

const w = methodsWords.methodSettings;
type Rows = Answer<'methods.show'>['rows'];
type MatrixRow = Rows[number];
type Cell = NonNullable<MatrixRow['cells'][OfferedMethod]>;
const UNSAID = 'unsaid';

/** What a cell comes to, in a word: its whole text would make columns of a page's length. */
function wordOf(cell: Cell | undefined): string {
  if (!cell) return w.unsaid;
  if ('checked' in cell && cell.checked === 'elsewhere') return w.elsewhereWord;
  if (cell.enrol) return w.mayEnrol;
  return cell.purposes.length > 0 ? w.noMoreUsed : w.notAtAll;
}

/** All that a cell says. */
function sayCell(method: OfferedMethod, cell: Cell | undefined): string {
  if (!cell) return w.unsaid;
  if ('checked' in cell && cell.checked === 'elsewhere') return w.elsewhere;
  const uses = cell.purposes.map((purpose) => shared.purposes[purpose]).join(', ');
  const parts = [
    cell.enrol ? w.mayEnrol : w.noMore,
    uses === '' ? w.forNothing : say(w.usedFor, { uses }),
    ...(method === 'webauthn'
      ? sayKeyRules((cell.parameters ?? {}) as KeyParameters)
      : Object.entries(cell.parameters ?? {}).map(([name, value]) =>
          name === 'first'
            ? shared.firstEnrolments[value as FirstEnrolment]
            : name === 'notBySelf'
              ? sayNotBySelf(value as unknown as readonly SelfAction[])
              : name in PHONE_WORDS
                ? `${w.parameters[name as 'number']} ${PHONE_WORDS[name as 'number'].said}`
                : `${w.parameters[name as 'digits']} ${value}`,
        )),
  ];
  return parts.join(' · ');
}

const particulars = (cell: Cell | undefined): number => Object.keys(cell?.parameters ?? {}).length;

const Stacked = styled.span`
  display: grid;
  justify-items: start;
  text-align: left;
`;

/** The rows as they are sent: without names. */
const bare = (rows: Rows) => rows.map(({ group, cells }) => ({ group, cells }));

/** The matrix of groups and methods; changed as a whole, once it was looked at whom it locks out. */
export function MethodsPage() {
  const { data, error } = useRead('methods.show');
  return (
    <Page>
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {data && <Matrix key={data.version} stored={data.rows} version={data.version} />}
    </Page>
  );
}

function Matrix({ stored, version }: { stored: Rows; version: number }) {
  const may = useMayCall()('methods.edit');
  const [rows, setRows] = useState(stored);
  const [editing, setEditing] = useState<{ at: number; method: OfferedMethod }>();
  const [adding, setAdding] = useState(false);
  const changed = JSON.stringify(rows) !== JSON.stringify(stored);
  const review = useAct<undefined, Answer<'methods.review'>>(() =>
    call('methods.review', { body: { rows: bare(rows) } }),
  );
  const save = useAct<number, unknown>((lockedOut) =>
    call('methods.edit', { body: { rows: bare(rows), lockedOut }, ifMatch: version }),
  );
  const reading = {
    of: ['methods', 'methods.reviewPeople', bare(rows)],
    people: (query: PageQuery & { only: 'locked-out' | 'eased' }) =>
      call('methods.reviewPeople', { body: { rows: bare(rows) }, query }),
  };
  const change = (next: Rows) => {
    review.reset();
    setRows(next);
  };
  const move = (at: number) => change([...rows.slice(0, at - 1), rows[at]!, rows[at - 1]!, ...rows.slice(at + 1)]);
  const trouble = review.trouble ?? save.trouble;
  return (
    <>
      <Spread>
        <h1>{w.title}</h1>
        {may && <Button onPress={() => setAdding(true)}>{w.addRow}</Button>}
      </Spread>
      <Soft>{w.hint}</Soft>
      <Table
        label={w.title}
        rows={rows}
        keyOf={(row) => row.group ?? 'everybody'}
        columns={[
          {
            heading: w.who,
            cell: (row) => (
              <Stacked>
                {row.groupName ?? w.everybody}
                {may && row.group !== null && (
                  <>
                    {rows.indexOf(row) > 0 && (
                      <Button look="quiet" about={row.groupName ?? ''} onPress={() => move(rows.indexOf(row))}>
                        {w.up}
                      </Button>
                    )}
                    <Button
                      look="quiet"
                      about={row.groupName ?? ''}
                      onPress={() => change(rows.filter((one) => one !== row))}
                    >
                      {w.removeRow}
                    </Button>
                  </>
                )}
              </Stacked>
            ),
          },
          ...OFFERED_METHODS.map((method) => ({
            heading: shared.methods[method],
            cell: (row: MatrixRow) =>
              may ? (
                <Button
                  look="quiet"
                  aria-label={`${row.groupName ?? w.everybody}, ${shared.methods[method]}: ${sayCell(method, row.cells[method])}`}
                  onPress={() => setEditing({ at: rows.indexOf(row), method })}
                >
                  <Stacked>
                    {wordOf(row.cells[method])}
                    {particulars(row.cells[method]) > 0 && (
                      <Small>{say(w.particulars, { n: particulars(row.cells[method]) })}</Small>
                    )}
                  </Stacked>
                </Button>
              ) : (
                sayCell(method, row.cells[method])
              ),
          })),
        ]}
      />
      {trouble && (
        <Banner $tone={trouble.waits ? 'brass' : 'danger'} role="alert">
          {trouble.text}
        </Banner>
      )}
      {changed && (
        <Row>
          <Button
            look={review.data ? 'plain' : 'main'}
            isPending={review.isPending}
            onPress={() => review.mutate(undefined)}
          >
            {w.review}
          </Button>
          <Button onPress={() => change(stored)}>{w.undo}</Button>
        </Row>
      )}
      {changed && review.data && (
        <>
          <Section aria-labelledby="locks">
            <h2 id="locks">{w.locks}</h2>
            <LockedOut {...review.data} reading={reading} />
            {review.data.people > 0 && <Small>{w.signedFor}</Small>}
          </Section>
          <Section aria-labelledby="loosens">
            <h2 id="loosens">{w.loosens}</h2>
            <Loosened people={review.data.loosened.people} reading={reading} />
          </Section>
          <Row>
            <Button
              look={review.data.people > 0 ? 'danger' : 'main'}
              isPending={save.isPending}
              onPress={() => save.mutate(review.data.people)}
            >
              {w.save}
            </Button>
          </Row>
        </>
      )}
      {editing && (
        <EditCell
          title={`${rows[editing.at]!.groupName ?? w.everybody}: ${shared.methods[editing.method]}`}
          method={editing.method}
          cell={rows[editing.at]!.cells[editing.method]}
          onClose={() => setEditing(undefined)}
          onDone={(cell) => {
            change(rows.map((row, i) => (i === editing.at ? withCell(row, editing.method, cell) : row)));
            setEditing(undefined);
          }}
        />
      )}
      {adding && (
        <AddRow
          taken={rows.flatMap(({ group }) => group ?? [])}
          onClose={() => setAdding(false)}
          onDone={(group) => {
            change([{ group: group.id, groupName: group.name, cells: {} }, ...rows]);
            setAdding(false);
          }}
        />
      )}
    </>
  );
}

function withCell(row: MatrixRow, method: OfferedMethod, cell: Cell | undefined): MatrixRow {
  const { [method]: _before, ...cells } = row.cells;
  return { ...row, cells: cell ? { ...cells, [method]: cell } : cells };
}

function EditCell({
  title,
  method,
  cell,
  onClose,
  onDone,
}: {
  title: string;
  method: OfferedMethod;
  cell: Cell | undefined;
  onClose: () => void;
  onDone: (cell: Cell | undefined) => void;
}) {
  const [said, setSaid] = useState(
    !cell ? UNSAID : 'checked' in cell && cell.checked === 'elsewhere' ? 'elsewhere' : cell.enrol ? 'yes' : 'no',
  );
  const [purposes, setPurposes] = useState<Cell['purposes']>(cell?.purposes ?? ['sign-in', 'enrol']);
  const before = (cell?.parameters ?? {}) as Record<string, string | number>;
  const [least, setLeast] = useState(String(before['leastLength'] ?? ''));
  const [digits, setDigits] = useState(String(before['digits'] ?? 'set'));
  // How far a clock may be off, or a counter ahead.
  const { parameters, checkedElsewhere, takesPin } = offeredSpec(method);
  const ofKeys = 'attestation' in parameters;
  const reachName = 'lookAhead' in parameters ? 'lookAhead' : 'window';
  const [reach, setReach] = useState(String(before[reachName] ?? ''));
  const [keyRules, setKeyRules] = useState((cell?.parameters ?? {}) as KeyParameters);
  const [pin, setPin] = useState(before['pin'] === 'required' ? 'required' : 'not');
  const [first, setFirst] = useState(before['first'] as FirstEnrolment | undefined);
  const [notBySelf, setNotBySelf] = useState<readonly SelfAction[]>(
    (before['notBySelf'] as unknown as readonly SelfAction[] | undefined) ?? [],
  );
  const selfActions = parameters['notBySelf'];
  const ofPhones = 'mostPhones' in parameters;
  const [phoneRules, setPhoneRules] = useState(phoneParametersOf(before));
  const [leastPin, setLeastPin] = useState(String(before['leastPin'] ?? ''));
  function result(): Cell | undefined {
    if (said === UNSAID) return undefined;
    const common = { enrol: said === 'yes', purposes };
    const self = notBySelf.length === 0 ? {} : { notBySelf: [...notBySelf] };
    const withParameters = (said: object): Cell => ({
      ...common,
      ...(Object.keys(said).length > 0 ? { parameters: said } : {}),
    });
    if (ofKeys) {
      const { notBySelf: _self, ...rules } = keyRules;
      return withParameters({ ...rules, ...self });
    }
    if (takesPin) {
      const {
        digits: _digits,
        window: _window,
        lookAhead: _ahead,
        pin: _pin,
        leastPin: _least,
        first: _first,
        notBySelf: _self,
        ...others
      } = before;
      const codes = {
        ...others,
        ...(digits === 'set' ? {} : { digits: Number(digits) as 6 | 8 }),
        ...(reach.trim() === '' ? {} : { [reachName]: Number(reach) }),
        ...(pin === 'required' ? { pin } : {}),
        ...(leastPin.trim() === '' ? {} : { leastPin: Number(leastPin) }),
        ...(first === undefined ? {} : { first }),
        ...self,
      };
      return withParameters(codes);
    }
    if (!checkedElsewhere)
      return withParameters({ ...(first === undefined ? {} : { first }), ...(ofPhones ? phoneRules : {}), ...self });
    const length = least.trim() === '' ? {} : { parameters: { leastLength: Number(least) } };
    return { ...common, checked: said === 'elsewhere' ? 'elsewhere' : 'here', ...length };
  }
  const act = { mutate: () => onDone(result()), isPending: false, trouble: undefined };
  return (
    <FormDialog title={title} act={act} onClose={onClose} finish={w.take}>
      <Select
        label={w.enrolling}
        value={said}
        onChange={setSaid}
        options={[
          { id: UNSAID, text: w.unsaidLong },
          { id: 'yes', text: w.mayEnrol },
          { id: 'no', text: w.noMore },
          ...(checkedElsewhere ? [{ id: 'elsewhere', text: w.elsewhere }] : []),
        ]}
      />
      {said !== UNSAID && (
        <CheckboxGroup
          label={w.purposes}
          options={METHOD_PURPOSES.map((id) => ({ id, text: shared.purposes[id] }))}
          value={purposes}
          onChange={setPurposes}
        />
      )}
      {said === 'yes' && 'leastLength' in parameters && (
        <TextField
          label={w.parameters.leastLength}
          description={w.leastHint}
          inputMode="numeric"
          value={least}
          onChange={setLeast}
        />
      )}
      {said !== UNSAID && ofKeys && <KeyRules rules={keyRules} onChange={setKeyRules} />}
      {said !== UNSAID && ofPhones && <PhoneRules rules={phoneRules} onChange={setPhoneRules} />}
      {said !== UNSAID && takesPin && (
        <>
          <TextField
            label={w.parameters[reachName]}
            description={reachName === 'lookAhead' ? w.lookAheadHint : w.windowHint}
            inputMode="numeric"
            value={reach}
            onChange={setReach}
          />
          <Select
            label={w.parameters.pin}
            value={pin}
            onChange={setPin}
            options={[
              { id: 'not', text: w.pinNot },
              { id: 'required', text: w.pinRequired },
            ]}
          />
          <TextField
            label={w.parameters.leastPin}
            description={w.leastPinHint}
            inputMode="numeric"
            value={leastPin}
            onChange={setLeastPin}
          />
        </>
      )}
      {said === 'yes' && !ofKeys && 'first' in parameters && <FirstChoice value={first} onChange={setFirst} />}
      {said !== UNSAID && selfActions?.kind === 'some of' && (
        <CheckboxGroup
          label={w.notBySelf}
          options={(selfActions.of as readonly SelfAction[]).map((id) => ({ id, text: shared.selfActions[id] }))}
          value={notBySelf}
          onChange={setNotBySelf}
        />
      )}
      {said === 'yes' && 'digits' in parameters && (
        <Select
          label={w.parameters.digits}
          value={digits}
          onChange={setDigits}
          options={[
            { id: 'set', text: w.asSet },
            { id: '6', text: '6' },
            { id: '8', text: '8' },
          ]}
        />
      )}
    </FormDialog>
  );
}

function AddRow({
  taken,
  onClose,
  onDone,
}: {
  taken: readonly string[];
  onClose: () => void;
  onDone: (group: Answer<'groups.list'>['rows'][number]) => void;
}) {
  const { data, error } = useRead('groups.list', { query: { limit: 200 } });
  const free = (data?.rows ?? []).filter(({ id }) => !taken.includes(id));
  const [chosen, setChosen] = useState<string>();
  const group = free.find(({ id }) => id === chosen) ?? free[0];
  const act = { mutate: () => group && onDone(group), isPending: !group, trouble: troubleOf(error) };
  return (
    <FormDialog title={w.addRow} act={act} onClose={onClose} finish={w.addRow}>
      <p>{w.addRowHint}</p>
      {group && (
        <Select
          label={w.who}
          value={group.id}
          onChange={setChosen}
          options={free.map(({ id, name }) => ({ id, text: name }))}
        />
      )}
    </FormDialog>
  );
}
