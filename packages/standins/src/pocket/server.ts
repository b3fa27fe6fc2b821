import Fastify, { type FastifyInstance } from 'fastify';
import { codeAt } from '../phone/code.js';
import { Drawer, HABITS, type Entry, type Habit } from './drawer.js';
import { PAGE, SCRIPT, STYLE } from './page.js';
import { PhoneRefused } from './phone.js';

const DECISIONS = ['approve', 'deny', 'not-me'] as const;
/** How often phones ask what waits. */
const LOOK_MS = 1_000;

const REFUSED: Readonly<Partial<Record<string, string>>> = {
  'phone-unknown': 'This link is of no use any more, or this phone was taken off.',
  'phone-clock': 'The clock of this machine is off.',
  throttled: 'Too many tries. Wait some minutes.',
};

const shown = ({ phone, habit, person, organisation, asked, trouble }: Entry, now: number) => ({
  device: phone.device,
  person,
  organisation,
  habit,
  trouble: trouble ?? null,
  requests: habit === 'away' ? [] : (asked?.requests ?? []),
  code: phone.codes ? codeAt(phone.codes, now).code : null,
});

/** Phones that approve, as a small web service on loopback. */
export async function createPocket(file: string | undefined, now: () => number): Promise<FastifyInstance> {
  const drawer = new Drawer(file);
  await drawer.open();
  const app = Fastify({ bodyLimit: 16_384 });
  app.addHook('onSend', async (_, reply) => {
    reply.headers({
      'content-security-policy':
        "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; base-uri 'none'; frame-ancestors 'none'",
      'cache-control': 'no-store',
    });
  });
  app.setErrorHandler(async (error: Error, _, reply) => {
    const refused = error instanceof PhoneRefused;
    const problem = refused ? (REFUSED[error.code] ?? error.code) : 'That did not work.';
    return await reply.code(refused ? 409 : 500).send({ problem });
  });
  app.get('/', async (_, reply) => reply.type('text/html; charset=utf-8').send(PAGE));
  app.get('/pocket.css', async (_, reply) => reply.type('text/css').send(STYLE));
  app.get('/pocket.js', async (_, reply) => reply.type('text/javascript').send(SCRIPT));
  app.get('/phones', async () => drawer.entries.map((entry) => shown(entry, now())));
  app.post<{ Body: { link?: unknown; habit?: unknown } | null }>('/phones', async (request, reply) => {
    const { link, habit } = request.body ?? {};
    if (typeof link !== 'string' || !URL.canParse(link) || new URL(link).hash.length < 2)
      return await reply.code(400).send({ problem: 'Give the whole link, with what stands behind the number sign.' });
    return shown(await drawer.follow(link, HABITS.find((one) => one === habit) ?? 'by-hand'), now());
  });
  app.put<{ Params: { device: string }; Body: { habit?: unknown } | null }>(
    '/phones/:device/habit',
    async (request, reply) => {
      const entry = drawer.entry(request.params.device);
      const habit: Habit | undefined = HABITS.find((one) => one === request.body?.habit);
      if (!entry || !habit) return await reply.code(400).send({ problem: `Give one of ${HABITS.join(', ')}.` });
      entry.habit = habit;
      await drawer.keep();
      return shown(entry, now());
    },
  );
  app.post<{
    Params: { device: string };
    Body: { request?: unknown; decision?: unknown; number?: unknown } | null;
  }>('/phones/:device/answers', async (request, reply) => {
    const entry = drawer.entry(request.params.device);
    const { request: id, decision, number } = request.body ?? {};
    const asked = entry?.asked?.requests.find((one) => one.id === id);
    const decided = DECISIONS.find((one) => one === decision);
    if (!entry || !asked || !decided) return await reply.code(400).send({ problem: 'Nothing like that waits.' });
    const typed = decided === 'approve' && asked.asksNumber && typeof number === 'string' ? number : undefined;
    return { outcome: await entry.phone.answer(asked, decided, typed) };
  });
  const looking = setInterval(() => void drawer.look(now()), LOOK_MS);
  app.addHook('onClose', () => clearInterval(looking));
  return app;
}
