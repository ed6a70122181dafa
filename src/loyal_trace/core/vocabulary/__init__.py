"""The words of the trade as types: places, stages, quantities, findings, verdicts, units, errors. Imports nothing."""
