"""A Dask cluster of two workers on this machine: prints its scheduler's address, and ends with its standard input.

python cluster_of_two.py [CA CERTIFICATE KEY]       with TLS where it gets the files of that
"""

import sys

from distributed import LocalCluster, Security

if __name__ == "__main__":
    words = sys.argv[1:]
    security = None
    if words:
        ca, certificate, key = words
        both = dict.fromkeys(("scheduler", "worker", "client"), (certificate, key))
        named = {f"tls_{who}_cert": cert for who, (cert, _) in both.items()}
        named |= {f"tls_{who}_key": key for who, (_, key) in both.items()}
        security = Security(tls_ca_file=ca, require_encryption=True, **named)
    with LocalCluster(
        n_workers=2,
        threads_per_worker=1,
        dashboard_address=None,
        security=security,
        protocol="tls://" if words else "tcp://",
    ) as cluster:
        print(cluster.scheduler_address, *(each.pid for each in cluster.workers.values()), flush=True)
        sys.stdin.read()
