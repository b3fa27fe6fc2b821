import type { Answer } from '@nimble-latch/api';
import { styled } from 'styled-components';
import { decimal, locale, say, shared } from '../../frame/messages/index.js';
import { signinsWords } from './messages/index.js';
import { colour, space } from '../../frame/theme/tokens.js';

const Steps = styled.ol`
  list-style: none;
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  li {
    display: contents;
  }
  li > * {
    padding: ${space.small} ${space.base} ${space.small} 0;
    border-bottom: 1px solid ${colour.line};
  }
  li > :first-child {
    color: ${colour.inkSoft};
    text-align: right;
  }
`;

/** A sign-in step by step, in plain words, with the seconds since it began. */
export function Story({ story }: { story: Answer<'activity.show'> }) {
  return (
    <Steps>
      {story.steps.map((step, i) => (
        <li key={i}>
          <span>
            {say(signinsWords.activity.seconds, {
              n: decimal((Date.parse(step.at) - Date.parse(story.at)) / 1000, 1),
            })}
          </span>
          <span>
            {say(shared.story[step.what], {
              prompt: step.prompt ? shared.prompts[step.prompt] : '',
              from: step.from ?? '',
              method: step.method ? shared.methods[step.method] : '',
              proved: step.proved ? new Date(step.proved).toLocaleString(locale) : '',
            })}
            {step.why ? `: ${shared.reasons[step.why]}` : ''}
            {step.until ? ` (${new Date(step.until).toLocaleTimeString(locale)})` : ''}
          </span>
        </li>
      ))}
    </Steps>
  );
}
