"""
What templates can choose from: formats, comparisons, folds, checks and windows, each declared once. The documents'
schema, the resolver, the sentence, the API (`GET /api/v1/vocabulary`) and the front end all read these lists.
"""
