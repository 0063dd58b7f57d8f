// Machines are shared: a spec that waits for a process or a job may wait longer than jasmine's five seconds.
jasmine.DEFAULT_TIMEOUT_INTERVAL = 120_000;
