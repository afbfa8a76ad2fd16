import fc from 'fast-check';

// A mutation that only a hundredth draw would notice is not noticed reliably: what survives a dozen counts as survived.
fc.configureGlobal({ numRuns: 12 });
