export { described, resourceTypes, serviceProvider } from './described.js';
export { nameOf, notThere, ScimError, schemas, type Resource } from './resource.js';
export { groups, users, type Asking } from './service.js';
