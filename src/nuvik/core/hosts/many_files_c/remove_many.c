/* Removing files and links that are as they were looked at. */

#include "common.h"

typedef struct {
    PyObject *held;
    const char *name, *which; /* `which` is empty where anything of that name may go */
    long long size, changed;  /* a size below zero: neither counts */
} Going;

static int is_as_expected(int folder, const Going *going, int *gone) {
    struct stat facts;
    char which[WHICH_LENGTH];
    if (fstatat(folder, going->name, &facts, AT_SYMLINK_NOFOLLOW)) return errno == ENOENT ? (*gone = 1, 0) : -1;
    which_file(&facts, which);
    if (strcmp(which, going->which)) return 0;
    return going->size < 0 || (facts.st_size == going->size && nanoseconds(facts.CHANGED) == going->changed);
}

static void forget_goings(Going *jobs, Py_ssize_t count) {
    for (Py_ssize_t number = 0; number < count; number++) Py_XDECREF(jobs[number].held);
    free(jobs);
}

/* remove_many(folder, [(name, which file or empty, size or -1, changed), ...])
 * -> (how many were dealt with, 0 or the error number of the next); what is not as expected stays. */
PyObject *remove_many(PyObject *self, PyObject *words) {
    PyObject *asked;
    int folder, fault = 0;
    Py_ssize_t count, done = 0;
    Going *jobs;
    (void)self;
    if (!PyArg_ParseTuple(words, "iO", &folder, &asked)) return NULL;
    if ((count = PyList_Size(asked)) < 0) return NULL;
    jobs = calloc((size_t)count + 1, sizeof(Going));
    if (jobs == NULL) return PyErr_NoMemory();
    for (Py_ssize_t number = 0; number < count; number++) {
        Going *job = &jobs[number];
        PyObject *name;
        if (!PyArg_ParseTuple(
                PyList_GetItem(asked, number), "UsLL", &name, &job->which, &job->size, &job->changed) ||
            hold_name(name, &job->held, &job->name)) {
            forget_goings(jobs, count);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    for (; done < count; done++) {
        int gone = 0, good = *jobs[done].which ? is_as_expected(folder, &jobs[done], &gone) : 1;
        if (good < 0 || (good > 0 && unlinkat(folder, jobs[done].name, 0))) {
            fault = errno;
            break;
        }
    }
    Py_END_ALLOW_THREADS
    forget_goings(jobs, count);
    return Py_BuildValue("(ni)", done, fault);
}
