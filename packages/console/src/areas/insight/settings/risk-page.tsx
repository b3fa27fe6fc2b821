import { SIGNALS } from '@nimble-latch/api';
import { Select } from '../../../frame/components/choices.js';
import { insightWords } from '../messages/index.js';
import { numbers, Subject } from './subject.js';

const w = insightWords.settings;

/** Tenths, and whatever somebody has set otherwise. */
const weightsWith = (now: number) =>
  numbers([...new Set([...Array.from({ length: 11 }, (_, i) => i / 10), now])].sort((a, b) => a - b));

/** How much each signal counts where rules go by risk. */
export function RiskPage() {
  return (
    <Subject of="risk" title={w.risk} hint={w.riskHint}>
      {({ value, onChange }) =>
        SIGNALS.map((signal) => (
          <Select
            key={signal}
            label={w.signals[signal]}
            value={String(value[signal])}
            onChange={(id) => onChange({ ...value, [signal]: Number(id) })}
            options={weightsWith(value[signal])}
          />
        ))
      }
    </Subject>
  );
}
