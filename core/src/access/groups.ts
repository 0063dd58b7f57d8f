/** Which groups each principal is a direct member of. */
export type Memberships = ReadonlyMap<string, readonly string[]>;

/** A principal and every group it belongs to, directly or through other groups. */
export function principalsOf(id: string, memberships: Memberships): Set<string> {
  const found = new Set([id]);
  const queue = [id];
  for (let next = queue.pop(); next !== undefined; next = queue.pop()) {
    for (const group of memberships.get(next) ?? []) {
      if (!found.has(group)) {
        found.add(group);
        queue.push(group);
      }
    }
  }
  return found;
}

/** Whether making `member` a member of `group` would close a circle. */
export function closesCircle(member: string, group: string, memberships: Memberships): boolean {
  return principalsOf(group, memberships).has(member);
}
