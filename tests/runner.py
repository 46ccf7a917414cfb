"""Django's runner, keeping count."""

import logging

from django.test.runner import DiscoverRunner


class PlainRunner(DiscoverRunner):
    counts = (0, 1, 0)

    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        # Refusals are asked for on purpose here; their log lines would hide what matters.
        logging.disable(logging.CRITICAL)

    def suite_result(self, suite, result, **kwargs):
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        self.counts = (result.testsRun - failed - skipped, failed, skipped)
        return super().suite_result(suite, result, **kwargs)
