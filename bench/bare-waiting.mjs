/** The limit of waiting: connections that are kept open with an answer begun, and nothing behind them. */
import { createServer } from 'node:http';

createServer((_, answer) => {
  answer.writeHead(200, { 'content-type': 'text/event-stream' });
  answer.write('event: waiting\n\n');
}).listen(Number(process.env.BARE_PORT), '127.0.0.1', () => process.stdout.write('up\n'));
