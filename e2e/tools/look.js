// Throwaway: pictures of whatever is being worked on.
import { browser, open, ready, scratch, start } from './program.js';
import { join } from 'node:path';
const folder = scratch();
const server = await start({ data: join(folder.path, 'data') });
const b = await browser();
const { session } = await (await fetch(`${server.url}/api/sessions/2`)).json();
const idOf = (name) => session.strips.find((s) => s.name === name).id;
const scenario = await import(process.argv[2]);
try { await scenario.default({ b, open, ready, server, idOf, session, out: '/tmp/look' }); } catch (e) { console.log('FAILED', e); }
await b.close(); await server.kill(); folder.remove();
