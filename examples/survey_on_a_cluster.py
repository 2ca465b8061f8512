"""A survey spread over the workers of a cluster. Any `concurrent.futures.Executor` will do; here it is Dask's.

pip install distributed
python examples/survey_on_a_cluster.py src/
"""

import sys

import dreck


def main(paths: list[str]) -> int:
    from distributed import Client, LocalCluster

    # With a cluster of your own: Client("tcp://scheduler:8786"). The workers must see the same files.
    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None) as cluster, Client(cluster) as client:
        spread = dreck.survey(paths, executor=client.get_executor())
    alone = dreck.survey(paths)
    print(spread)
    print("the same rows as with one process" if spread.rows == alone.rows else "NOT the same rows")
    return 0 if spread.rows == alone.rows else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:] or ["."]))
