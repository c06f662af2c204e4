"""The rules of the job and its computation. Knows nothing of the web, of Django or of Celery."""
