import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { connect, createServer, type Server } from 'node:net';

/** A machine of its own where the system allows it: it reaches nothing of this one but what is let through. */
export interface Machine {
  /** Whether it stands in a network of its own. */
  apart: boolean;
  /** Address and port at which it finds the database. */
  host: string;
  port: number;
  /** Starts a program there. */
  start(command: string, args: readonly string[]): ChildProcess;
  end(): void;
}

const ip = (...args: string[]): boolean => spawnSync('ip', args, { stdio: 'ignore' }).status === 0;

/**
 * Makes a network namespace with one wire to here, at whose end a port of the loopback is found. Without the right to (no
 * root, no iproute2) it is a process on this machine like any other.
 * @param n 1 … 250, one for each
 */
export async function makeMachine(n: number, databasePort: number): Promise<Machine> {
  // Another run of the tests may be at it on the same machine.
  const tag = `dm${process.pid % 10_000}x${n}`,
    here = `10.${100 + (process.pid % 100)}.${n}.1`,
    there = here.replace(/1$/, '2');
  const made =
    ip('netns', 'add', tag) &&
    ip('link', 'add', `${tag}h`, 'type', 'veth', 'peer', 'name', `${tag}n`, 'netns', tag) &&
    ip('addr', 'add', `${here}/30`, 'dev', `${tag}h`) &&
    ip('link', 'set', `${tag}h`, 'up') &&
    ip('-n', tag, 'addr', 'add', `${there}/30`, 'dev', `${tag}n`) &&
    ip('-n', tag, 'link', 'set', `${tag}n`, 'up') &&
    ip('-n', tag, 'link', 'set', 'lo', 'up');
  if (!made) {
    ip('netns', 'del', tag);
    return {
      apart: false,
      host: '127.0.0.1',
      port: databasePort,
      start: (command, args) => spawn(command, args),
      end() {},
    };
  }
  const door = await openDoor(here, databasePort);
  return {
    apart: true,
    host: here,
    port: (door.address() as { port: number }).port,
    start: (command, args) => spawn('ip', ['netns', 'exec', tag, command, ...args]),
    end() {
      door.close();
      ip('netns', 'del', tag);
    },
  };
}

/** Lets through what comes to this end of the wire, to a port of the loopback. */
function openDoor(host: string, to: number): Promise<Server> {
  const server = createServer((socket) => {
    const on = connect(to, '127.0.0.1');
    socket.pipe(on).pipe(socket);
    for (const one of [socket, on])
      one.on('error', () => {
        socket.destroy();
        on.destroy();
      });
  });
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(0, host, () => resolve(server));
  });
}
