// Loaded before the specs when mutants are tried: a property is given a moment, and one counter-example is enough, as found.
import * as fc from 'fast-check';

fc.configureGlobal({ interruptAfterTimeLimit: 500, endOnFailure: true });
