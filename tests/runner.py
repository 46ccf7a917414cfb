"""Django's runner, keeping count."""

from django.test.runner import DiscoverRunner


class PlainRunner(DiscoverRunner):
    counts = (0, 1, 0)

    def suite_result(self, suite, result, **kwargs):
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        self.counts = (result.testsRun - failed - skipped, failed, skipped)
        return super().suite_result(suite, result, **kwargs)
