import { hostname, networkInterfaces } from 'node:os';
import { BlockList, isIP } from 'node:net';

const loopback = new BlockList();
loopback.addSubnet('127.0.0.0', 8, 'ipv4');
loopback.addAddress('::1', 'ipv6');

const everywhere = new Set(['0.0.0.0', '::']);

/** Whether nobody but this computer reaches an address. */
export function isLoopback(address: string): boolean {
  const family = isIP(address);
  return address === 'localhost' || (family > 0 && loopback.check(address, family === 6 ? 'ipv6' : 'ipv4'));
}

/** Names and addresses by which a browser on this computer asks for it. */
export const loopbackHosts: readonly string[] = ['127.0.0.1', 'localhost', '::1'];

/**
 * Names and addresses by which a server is asked for that listens at an address.
 * @param names further ones, as a name server knows this computer
 */
export function hostsOf(address: string, names: readonly string[] = []): string[] {
  if (isLoopback(address)) return [...new Set([...loopbackHosts, address, ...names])];
  const own = everywhere.has(address)
    ? Object.values(networkInterfaces())
        .flatMap((each) => each ?? [])
        .map((each) => each.address)
    : [address];
  // Link-local addresses of IPv6 have the name of an interface in them, which no browser asks with.
  const reachable = own.filter((each) => !/^fe80:/i.test(each) && !isLoopback(each));
  const name = hostname().toLowerCase();
  return [...new Set([...names, ...reachable, name, `${name}.local`, ...loopbackHosts])];
}

/** As it stands in an address or in the header of a request. */
export const inUrl = (host: string): string => (isIP(host) === 6 ? `[${host}]` : host);
