import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import type { Inode } from '@keen-larder/core/formats/ext4/inode.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';

export interface PhoneFile {
  /** In base64. */
  readonly bytes: string;
  readonly uid: number;
  readonly mode: number;
  readonly label: string;
}

async function fileOf(fs: Ext4, inode: Inode): Promise<PhoneFile> {
  const parts: Uint8Array[] = [];
  for await (const part of fs.content(inode)) parts.push(Uint8Array.from(part));
  const label = (await fs.attributes(inode)).find((each) => each.name === 'security.selinux');
  return {
    bytes: Buffer.concat(parts).toString('base64'),
    uid: inode.uid,
    mode: inode.permissions,
    label: Buffer.from(label!.value).toString(),
  };
}

/** One file of a simulated phone's user data; undefined where it is not there. */
export async function fileOn(phone: Phone, path: string): Promise<PhoneFile | undefined> {
  const fs = await Ext4.open(phone.flash.partition('userdata')!);
  const inode = await fs.find(path);
  return inode && fileOf(fs, inode);
}

/** Files of an app's data on a simulated phone by path, with their bytes in base64, owners and labels; without its cache. */
export async function appFilesOf(phone: Phone, name: string): Promise<Map<string, PhoneFile>> {
  const fs = await Ext4.open(phone.flash.partition('userdata')!);
  const found = new Map<string, PhoneFile>();
  const walk = async (path: string): Promise<void> => {
    const inode = (await fs.findSelf(path))!;
    if (inode.type === 'directory') {
      for (const each of await fs.list(inode)) if (each.name !== 'cache') await walk(`${path}/${each.name}`);
    } else if (inode.type === 'file') {
      found.set(path, await fileOf(fs, inode));
    }
  };
  await walk(`/data/${name}`);
  await walk(`/user_de/0/${name}`);
  return found;
}
