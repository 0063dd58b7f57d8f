import { filterOf, groupOf, patched, ScimError, userOf } from './resource.js';

describe('resources of SCIM', () => {
  const user = {
    ...{ userName: 'Wren', displayName: 'Wren Ashby', externalId: 'e1', active: true, name: { givenName: 'Wren', familyName: 'Ashby' } },
    emails: [
      { value: 'home@example.org', type: 'home' },
      { value: 'wren@example.org', type: 'work', primary: true },
    ],
  };
  const refusal = (work: () => unknown): string => {
    try {
      work();
    } catch (error) {
      return error instanceof ScimError ? `${error.status} ${error.scimType}` : String(error);
    }
    return 'none';
  };

  it('are read whatever letters their attributes are written in', () => {
    const read = { login: 'wren', name: 'Wren Ashby', email: 'wren@example.org', externalId: 'e1', active: true };
    expect(userOf(user)).toEqual(read);
    expect(userOf({ USERNAME: 'Wren', DisplayName: 'Wren Ashby', EXTERNALID: 'e1', Emails: [{ VALUE: 'wren@example.org' }] })).toEqual(
      read,
    );
    expect(userOf({ userName: 'wren', active: 'False' }).active).toBeFalse();
  });

  it('are called by what there is of their name, and write to the first address that counts', () => {
    const name = (more: object): string => userOf({ userName: 'w', ...more }).name;
    expect(name({ displayName: 'A', name: { formatted: 'B' } })).toBe('A');
    expect(name({ name: { formatted: 'B', givenName: 'C' } })).toBe('B');
    expect(name({ name: { givenName: 'C', familyName: 'D' } })).toBe('C D');
    expect(name({ name: null })).toBe('w');
    const email = (...emails: object[]) => userOf({ userName: 'w', emails }).email;
    expect(email({ value: 'a@x' }, { value: 'b@x', type: 'work' })).toBe('b@x');
    expect(email({ value: 'a@x', type: 'home' })).toBe('a@x');
    expect(email()).toBeNull();
  });

  it('that lack what they need are refused', () => {
    for (const wrong of [
      {},
      { userName: '' },
      { userName: 'a b' },
      { userName: 'w', emails: 'x' },
      { userName: 'w', active: 'maybe' },
      [],
      null,
      'x',
    ])
      expect(refusal(() => userOf(wrong)))
        .withContext(JSON.stringify(wrong))
        .toBe('400 invalidValue');
    for (const wrong of [{}, { displayName: '' }, { displayName: 'G', members: [{ value: 'nobody' }] }])
      expect(refusal(() => groupOf(wrong)))
        .withContext(JSON.stringify(wrong))
        .toBe('400 invalidValue');
  });

  it('are looked up by one attribute', () => {
    expect(filterOf('USERNAME Eq "a \\"b\\""', ['userName'])).toEqual({ attribute: 'userName', value: 'a "b"' });
    expect(filterOf(undefined, ['userName'])).toBeNull();
    for (const wrong of ['userName sw "a"', 'userName eq a', 'title eq "a"', 'userName eq "a" or userName eq "b"', 'userName eq "\\x"'])
      expect(refusal(() => filterOf(wrong, ['userName'])))
        .withContext(wrong)
        .toBe('400 invalidFilter');
  });

  describe('are patched', () => {
    const after = (...Operations: object[]) => userOf(patched(user, { Operations }));
    it('as the standard says it, and as directories do', () => {
      expect(after({ op: 'replace', path: 'active', value: false }).active).toBeFalse();
      expect(after({ op: 'Replace', value: { active: 'False', 'name.givenName': 'X' } }).active).toBeFalse();
      expect(after({ op: 'replace', path: 'urn:ietf:params:scim:schemas:core:2.0:User:displayName', value: 'New' }).name).toBe('New');
      expect(after({ op: 'replace', path: 'emails[type eq "work"].value', value: 'n@x' }).email).toBe('n@x');
      expect(after({ op: 'add', path: 'emails[primary eq True].value', value: 'n@x' }).email).toBe('n@x');
      expect(after({ op: 'remove', path: 'emails[type eq "work"]' }).email).toBe('home@example.org');
      expect(after({ op: 'remove', path: 'emails' }).email).toBeNull();
      expect(after({ op: 'remove', path: 'displayName' }, { op: 'add', path: 'name.familyName', value: 'Moss' }).name).toBe('Wren Moss');
      expect(after({ op: 'remove', path: 'externalId' }).externalId).toBeNull();
      expect(
        after({ op: 'replace', path: 'urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:department', value: 'Quay' }).name,
      ).toBe('Wren Ashby');
    });
    it('member by member', () => {
      const [a, b, c] = ['a', 'b', 'c'].map((x) => `${x.repeat(8)}-0000-4000-8000-000000000000`) as [string, string, string];
      const group = { displayName: 'G', members: [{ value: a }, { value: b }] };
      const members = (...Operations: object[]) => groupOf(patched(group, { Operations })).memberIds;
      expect(members({ op: 'add', path: 'members', value: [{ value: c }, { value: a.toUpperCase() }] })).toEqual([b, c, a]);
      expect(members({ op: 'remove', path: `members[value eq "${a.toUpperCase()}"]` })).toEqual([b]);
      expect(members({ op: 'Remove', path: 'members', value: [{ value: b }] })).toEqual([a]);
      expect(members({ op: 'remove', path: 'members' })).toEqual([]);
      expect(members({ op: 'replace', path: 'members', value: { value: c } })).toEqual([c]);
    });
    it('by nothing that is no patch', () => {
      const patch = (body: unknown): string => refusal(() => patched(user, body));
      expect(patch({})).toBe('400 invalidSyntax');
      expect(patch({ Operations: [{ op: 'move', path: 'active' }] })).toBe('400 invalidSyntax');
      expect(patch({ Operations: [{ op: 'remove' }] })).toBe('400 noTarget');
      expect(patch({ Operations: [{ op: 'replace', value: 'x' }] })).toBe('400 invalidValue');
      for (const path of ['emails[', 'emails[type sw "x"]', 'a b', 'emails[type eq "\\x"]'])
        expect(patch({ Operations: [{ op: 'replace', path, value: 'x' }] }))
          .withContext(path)
          .toBe('400 invalidPath');
    });
  });
});
