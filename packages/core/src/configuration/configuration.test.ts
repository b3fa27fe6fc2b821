import { describe, expect, it } from 'vitest';
import { planConfiguration, type ConfigThing } from './index.js';

const thing = (part: ConfigThing['part'], name: string, says: ConfigThing['says'] = {}): ConfigThing => ({
  part,
  name,
  says,
});

describe('what a configuration file would change', () => {
  it('is told thing by thing, in the order in which it is done; what it leaves out stays', () => {
    const now = [
      thing('application', 'Payroll', { description: '' }),
      thing('network', 'tower', { ranges: ['10.1.0.0/16'], city: null }),
      thing('network', 'gate', { ranges: ['10.2.0.0/16'] }),
      thing('group', 'pilots', { description: 'P', parts: [] }),
    ];
    const wanted = [
      thing('application', 'payroll', { description: undefined }),
      thing('network', 'tower', { ranges: ['10.1.0.0/16', '10.9.0.0/16'] }),
      thing('network', 'quay', { ranges: ['10.3.0.0/16'] }),
    ];
    expect(planConfiguration(now, wanted, new Set(['network', 'application']))).toEqual([
      { part: 'network', name: 'tower', change: 'changed', fields: ['ranges'] },
      { part: 'network', name: 'quay', change: 'added', fields: [] },
      { part: 'network', name: 'gate', change: 'only-here', fields: [] },
      { part: 'application', name: 'payroll', change: 'changed', fields: ['name'] },
    ]);
    const same = planConfiguration(now, now, new Set(['network', 'group', 'application']));
    expect(same.every(({ change }) => change === 'same')).toBe(true);
  });
});
