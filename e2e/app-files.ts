import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';

/** Files of an app's data on a simulated phone by path, with their bytes in base64, owners and labels; without its cache. */
export async function appFilesOf(
  phone: Phone,
  name: string,
): Promise<Map<string, { bytes: string; uid: number; label: string }>> {
  const fs = await Ext4.open(phone.flash.partition('userdata')!);
  const found = new Map<string, { bytes: string; uid: number; label: string }>();
  const walk = async (path: string): Promise<void> => {
    const inode = (await fs.findSelf(path))!;
    if (inode.type === 'directory') {
      for (const each of await fs.list(inode)) if (each.name !== 'cache') await walk(`${path}/${each.name}`);
    } else if (inode.type === 'file') {
      const parts: Uint8Array[] = [];
      for await (const part of fs.content(inode)) parts.push(Uint8Array.from(part));
      const label = (await fs.attributes(inode)).find((each) => each.name === 'security.selinux');
      const bytes = Buffer.concat(parts).toString('base64');
      found.set(path, { bytes, uid: inode.uid, label: Buffer.from(label!.value).toString() });
    }
  };
  await walk(`/data/${name}`);
  await walk(`/user_de/0/${name}`);
  return found;
}
