import { OFFERED_METHODS, offeredSpec } from '@nimble-latch/core/methods/kinds';
import { expect, it } from 'vitest';
import { methodCells } from './methods.js';

it('the cells of the method settings follow from the descriptions of the methods', () => {
  const cells = Object.fromEntries(
    Object.entries(methodCells.shape).map(([name, cell]) => [name, cell.unwrap().shape]),
  );
  expect(Object.keys(cells)).toEqual(OFFERED_METHODS);
  for (const method of OFFERED_METHODS) {
    const { checkedElsewhere, parameters } = offeredSpec(method);
    expect('checked' in cells[method]!, method).toBe(checkedElsewhere);
    const read = (parameter: string, value: unknown) =>
      methodCells.safeParse({ [method]: { enrol: true, purposes: [], parameters: { [parameter]: value } } }).success;
    for (const [name, spec] of Object.entries(parameters)) {
      const model = { aaguid: '01234567-89ab-cdef-0123-456789abcdef' };
      const [right, wrong] = {
        whole:
          'least' in spec
            ? [
                [spec.least, spec.most],
                [spec.least - 1, spec.most + 1, spec.least + 0.5],
              ]
            : [],
        'one of': 'of' in spec ? [spec.of, ['neither']] : [],
        'some of':
          'of' in spec
            ? [
                [spec.of, spec.of.slice(1)],
                [[], ['neither'], spec.of[0]],
              ]
            : [],
        models: [
          [[model], [{ ...model, name: 'Latchkey 5' }]],
          [[], [{ aaguid: 'no' }], model],
        ],
      }[spec.kind] as [readonly unknown[], readonly unknown[]];
      for (const value of right) expect(read(name, value), `${method} ${name} ${String(value)}`).toBe(true);
      for (const value of wrong) expect(read(name, value), `${method} ${name} ${String(value)}`).toBe(false);
    }
    expect(read('unheardOf', 1)).toBe(false);
  }
});
