import { schemas, type Resource } from './resource.js';

/** What is offered. Source: RFC 7643 §5. */
export const serviceProvider = (base: string): Resource => ({
  schemas: ['urn:ietf:params:scim:schemas:core:2.0:ServiceProviderConfig'],
  patch: { supported: true },
  bulk: { supported: false, maxOperations: 0, maxPayloadSize: 0 },
  filter: { supported: true, maxResults: 200 },
  changePassword: { supported: false },
  sort: { supported: false },
  etag: { supported: true },
  authenticationSchemes: [
    {
      type: 'oauthbearertoken',
      name: 'Token of a program',
      description: 'A token that is made under Setup → Sign-in (RFC 6750)',
      primary: true,
    },
  ],
  meta: { resourceType: 'ServiceProviderConfig', location: `${base}/ServiceProviderConfig` },
});

/** The kinds of resource. Source: RFC 7643 §6. */
export const resourceTypes = (base: string): readonly Resource[] =>
  (
    [
      ['User', 'people', schemas.user],
      ['Group', 'groups', schemas.group],
    ] as const
  ).map(([id, description, schema]) => ({
    schemas: ['urn:ietf:params:scim:schemas:core:2.0:ResourceType'],
    ...{ id, name: id, description, endpoint: `/${id}s`, schema },
    meta: { resourceType: 'ResourceType', location: `${base}/ResourceTypes/${id}` },
  }));

const attribute = (name: string, more: object = {}) => ({
  ...{
    name,
    type: 'string',
    multiValued: false,
    required: false,
    caseExact: false,
    mutability: 'readWrite',
    returned: 'default',
    uniqueness: 'none',
  },
  ...more,
});
const reference = [
  attribute('value', { mutability: 'immutable' }),
  attribute('display', { mutability: 'readOnly' }),
  attribute('type', { mutability: 'immutable' }),
];

/** Their attributes. Source: RFC 7643 §7. */
export const described = (base: string): readonly Resource[] =>
  (
    [
      [
        schemas.user,
        'User',
        [
          attribute('userName', { required: true, uniqueness: 'server' }),
          attribute('externalId', { caseExact: true }),
          attribute('displayName'),
          attribute('name', { type: 'complex', subAttributes: [attribute('formatted'), attribute('givenName'), attribute('familyName')] }),
          attribute('emails', {
            ...{ type: 'complex', multiValued: true },
            subAttributes: [attribute('value'), attribute('type'), attribute('primary', { type: 'boolean' })],
          }),
          attribute('active', { type: 'boolean' }),
          attribute('groups', { type: 'complex', multiValued: true, mutability: 'readOnly', subAttributes: reference }),
        ],
      ],
      [
        schemas.group,
        'Group',
        [
          attribute('displayName', { required: true, uniqueness: 'server' }),
          attribute('externalId', { caseExact: true }),
          attribute('members', { type: 'complex', multiValued: true, subAttributes: reference }),
        ],
      ],
    ] as const
  ).map(([id, name, attributes]) => ({
    schemas: ['urn:ietf:params:scim:schemas:core:2.0:Schema'],
    ...{ id, name, attributes },
    meta: { resourceType: 'Schema', location: `${base}/Schemas/${id}` },
  }));
