"""Runs step by step, each as long as a tolerance allows."""
