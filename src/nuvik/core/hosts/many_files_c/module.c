/* Very many small files: listing, reading, writing, looking inside and removing them, many in a call.
 *
 * Nuvik works without this part: it is built where a C compiler is at hand when Nuvik is installed (hatch_build.py).
 */

#include "common.h"

static PyMethodDef methods[] = {
    {"list_entries", list_entries, METH_VARARGS, "What is in an open folder, in the order of the bytes of the names."},
    {"read_many", read_many, METH_VARARGS, "The contents of files that are small and have no holes."},
#if defined(__linux__)
    {"look_many", look_many, METH_VARARGS, "What only opening files and folders tells of them."},
#endif
    {"remove_many", remove_many, METH_VARARGS, "Remove files and links that are as they were looked at."},
    {"write_many", write_many, METH_VARARGS, "Write new files with their marks."},
    {NULL, NULL, 0, NULL},
};

static struct PyModuleDef module = {PyModuleDef_HEAD_INIT, "_many_files", NULL, -1, methods, NULL, NULL, NULL, NULL};

PyMODINIT_FUNC PyInit__many_files(void) { return PyModule_Create(&module); }
